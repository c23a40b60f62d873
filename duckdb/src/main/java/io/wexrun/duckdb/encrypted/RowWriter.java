package io.wexrun.duckdb.encrypted;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.apache.hadoop.conf.Configuration;
import org.apache.parquet.conf.ParquetConfiguration;
import org.apache.parquet.hadoop.api.WriteSupport;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.io.api.RecordConsumer;

/** Writes rows of batches. */
final class RowWriter extends WriteSupport<RowWriter.Row> {
  private final List<Column> columns;
  private RecordConsumer to;

  /** A row of a batch. */
  record Row(Batch batch, int number) {}

  RowWriter(List<Column> columns) {
    this.columns = columns;
  }

  @Override
  public WriteContext init(Configuration conf) {
    return new WriteContext(ColumnTypes.schema(columns), Map.of());
  }

  @Override
  public WriteContext init(ParquetConfiguration conf) {
    return new WriteContext(ColumnTypes.schema(columns), Map.of());
  }

  @Override
  public void prepareForWrite(RecordConsumer consumer) {
    to = consumer;
  }

  @Override
  public void write(Row row) {
    to.startMessage();
    for (int c = 0; c < columns.size(); c++) {
      Column column = columns.get(c);
      field(column.name(), c, column.type(), row.batch().column(c), row.number());
    }
    to.endMessage();
  }

  private void field(String name, int index, Type type, Vector vector, int row) {
    if (!vector.absent(row)) {
      to.startField(name, index);
      value(type, vector, row);
      to.endField(name, index);
    }
  }

  private void value(Type type, Vector vector, int row) {
    if (type instanceof Type.ListOf list) {
      elements(list.element(), (ListVector) vector, row);
    } else if (type instanceof Type.Struct struct) {
      to.startGroup();
      for (int f = 0; f < struct.fields().size(); f++) {
        Column field = struct.fields().get(f);
        field(field.name(), f, field.type(), ((StructVector) vector).fields().get(f), row);
      }
      to.endGroup();
    } else if (type instanceof Type.Decimal decimal) {
      long unscaled = ((LongVector) vector).get(row);
      if (ColumnTypes.small(decimal)) {
        to.addInteger((int) unscaled);
      } else {
        to.addLong(unscaled);
      }
    } else {
      scalar((Type.Scalar) type, vector, row);
    }
  }

  private void elements(Type type, ListVector list, int row) {
    to.startGroup();
    if (list.end(row) > list.start(row)) {
      to.startField(ColumnTypes.LIST, 0);
      for (int e = list.start(row); e < list.end(row); e++) {
        to.startGroup();
        field(ColumnTypes.ELEMENT, 0, type, list.elements(), e);
        to.endGroup();
      }
      to.endField(ColumnTypes.LIST, 0);
    }
    to.endGroup();
  }

  private void scalar(Type.Scalar type, Vector vector, int row) {
    switch (type) {
      case BOOL -> to.addBoolean(((LongVector) vector).get(row) != 0);
      case INT, DATE -> to.addInteger((int) ((LongVector) vector).get(row));
      case LONG, TIMESTAMP -> to.addLong(((LongVector) vector).get(row));
      case DOUBLE -> to.addDouble(((DoubleVector) vector).get(row));
      case UUID -> {
        UUID uuid = UUID.fromString(((TextVector) vector).text(row));
        ByteBuffer bytes = ByteBuffer.allocate(16);
        bytes.putLong(uuid.getMostSignificantBits()).putLong(uuid.getLeastSignificantBits());
        to.addBinary(Binary.fromConstantByteArray(bytes.array()));
      }
      default -> {
        TextVector text = (TextVector) vector;
        int from = text.start(row);
        // The library keeps what it is given: the vector does not change while rows are written.
        to.addBinary(Binary.fromConstantByteArray(text.data(), from, text.end(row) - from));
      }
    }
  }
}
