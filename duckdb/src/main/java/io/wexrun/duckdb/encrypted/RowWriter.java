package io.wexrun.duckdb.encrypted;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.sql.Array;
import java.sql.Blob;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.LocalDate;
import java.time.OffsetDateTime;
import java.time.temporal.ChronoUnit;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.apache.hadoop.conf.Configuration;
import org.apache.parquet.conf.ParquetConfiguration;
import org.apache.parquet.hadoop.api.WriteSupport;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.io.api.RecordConsumer;
import org.duckdb.DuckDBStruct;

/** Writes rows of a result. */
final class RowWriter extends WriteSupport<ResultSet> {
  private static final OffsetDateTime EPOCH = OffsetDateTime.parse("1970-01-01T00:00:00Z");

  private final List<Column> columns;
  private RecordConsumer to;

  RowWriter(List<Column> columns) {
    this.columns = columns;
  }

  /** A value of the result could not be read. */
  static final class Failed extends RuntimeException {
    private static final long serialVersionUID = 1;

    Failed(SQLException cause) {
      super(cause);
    }

    @Override
    public synchronized SQLException getCause() {
      return (SQLException) super.getCause();
    }
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
  public void write(ResultSet row) {
    try {
      to.startMessage();
      for (int c = 0; c < columns.size(); c++) {
        field(columns.get(c).name(), c, columns.get(c).type(), row.getObject(c + 1));
      }
      to.endMessage();
    } catch (SQLException e) {
      throw new Failed(e);
    }
  }

  private void field(String name, int index, Type type, Object value) throws SQLException {
    if (value != null) {
      to.startField(name, index);
      value(type, value);
      to.endField(name, index);
    }
  }

  private void value(Type type, Object value) throws SQLException {
    if (type instanceof Type.ListOf list) {
      elements(list.element(), (Object[]) ((Array) value).getArray());
    } else if (type instanceof Type.Struct struct) {
      Map<String, Object> fields = ((DuckDBStruct) value).getMap();
      to.startGroup();
      for (int f = 0; f < struct.fields().size(); f++) {
        Column field = struct.fields().get(f);
        field(field.name(), f, field.type(), fields.get(field.name()));
      }
      to.endGroup();
    } else if (type instanceof Type.Decimal decimal) {
      long unscaled = ((BigDecimal) value).setScale(decimal.scale()).unscaledValue().longValue();
      if (ColumnTypes.small(decimal)) {
        to.addInteger((int) unscaled);
      } else {
        to.addLong(unscaled);
      }
    } else {
      scalar((Type.Scalar) type, value);
    }
  }

  private void elements(Type type, Object[] elements) throws SQLException {
    to.startGroup();
    if (elements.length > 0) {
      to.startField(ColumnTypes.LIST, 0);
      for (Object element : elements) {
        to.startGroup();
        field(ColumnTypes.ELEMENT, 0, type, element);
        to.endGroup();
      }
      to.endField(ColumnTypes.LIST, 0);
    }
    to.endGroup();
  }

  private void scalar(Type.Scalar type, Object value) throws SQLException {
    switch (type) {
      case BOOL -> to.addBoolean((Boolean) value);
      case INT -> to.addInteger(((Number) value).intValue());
      case LONG -> to.addLong(((Number) value).longValue());
      case DOUBLE -> to.addDouble(((Number) value).doubleValue());
      case BYTES -> {
        Blob bytes = (Blob) value;
        to.addBinary(Binary.fromConstantByteArray(bytes.getBytes(1, (int) bytes.length())));
      }
      case TIMESTAMP -> to.addLong(ChronoUnit.MICROS.between(EPOCH, (OffsetDateTime) value));
      case DATE -> to.addInteger((int) ((LocalDate) value).toEpochDay());
      case UUID -> {
        UUID uuid = (UUID) value;
        ByteBuffer bytes = ByteBuffer.allocate(16);
        bytes.putLong(uuid.getMostSignificantBits()).putLong(uuid.getLeastSignificantBits());
        to.addBinary(Binary.fromConstantByteArray(bytes.array()));
      }
      default -> to.addBinary(Binary.fromString(value.toString()));
    }
  }
}
