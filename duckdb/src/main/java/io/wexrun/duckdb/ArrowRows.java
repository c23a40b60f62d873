package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.Iterator;
import java.util.List;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.vector.VectorSchemaRoot;
import org.apache.arrow.vector.ipc.ArrowReader;
import org.apache.arrow.vector.types.DateUnit;
import org.apache.arrow.vector.types.FloatingPointPrecision;
import org.apache.arrow.vector.types.TimeUnit;
import org.apache.arrow.vector.types.pojo.ArrowType;
import org.apache.arrow.vector.types.pojo.Field;
import org.apache.arrow.vector.types.pojo.FieldType;

/**
 * Rows as a stream of Arrow record batches, one for each {@link Rows}: whole runs of a column are
 * copied at one go from our arrays into Arrow's buffers. DuckDB pulls the next batch when it wants
 * it, so that only one is off the heap at a time.
 */
final class ArrowRows extends ArrowReader {
  private final Schema schema;
  private final Iterator<Rows> parts;
  private Throwable failure;

  ArrowRows(BufferAllocator allocator, Schema schema, List<Rows> parts) {
    super(allocator);
    this.schema = schema;
    this.parts = parts.iterator();
  }

  @Override
  protected org.apache.arrow.vector.types.pojo.Schema readSchema() {
    return new org.apache.arrow.vector.types.pojo.Schema(
        schema.columns().stream().map(ArrowRows::field).toList());
  }

  private static Field field(Column column) {
    return nullable(column.name(), column.type(), top(column.type()));
  }

  /** Decimals come as their unscaled numbers, which is faster; inside nested values as decimals. */
  private static ArrowType top(Type type) {
    return type instanceof Type.Decimal ? new ArrowType.Int(64, true) : type(type);
  }

  private static Field nullable(String name, Type type, ArrowType arrow) {
    List<Field> children = List.of();
    if (type instanceof Type.ListOf list) {
      children = List.of(nullable("item", list.element(), type(list.element())));
    } else if (type instanceof Type.Struct struct) {
      children =
          struct.fields().stream()
              .map(field -> nullable(field.name(), field.type(), type(field.type())))
              .toList();
    }
    return new Field(name, FieldType.nullable(arrow), children);
  }

  private static ArrowType type(Type type) {
    if (type instanceof Type.Decimal decimal) {
      return new ArrowType.Decimal(decimal.precision(), decimal.scale(), 128);
    }
    if (type instanceof Type.ListOf) {
      return ArrowType.List.INSTANCE;
    }
    if (type instanceof Type.Struct) {
      return ArrowType.Struct.INSTANCE;
    }
    return switch ((Type.Scalar) type) {
      case BOOL -> ArrowType.Bool.INSTANCE;
      case INT -> new ArrowType.Int(32, true);
      case LONG -> new ArrowType.Int(64, true);
      case DOUBLE -> new ArrowType.FloatingPoint(FloatingPointPrecision.DOUBLE);
      case TEXT, UUID, JSON -> ArrowType.Utf8.INSTANCE;
      case BYTES -> ArrowType.Binary.INSTANCE;
      case TIMESTAMP -> new ArrowType.Timestamp(TimeUnit.MICROSECOND, "UTC");
      case DATE -> new ArrowType.Date(DateUnit.DAY);
    };
  }

  @Override
  public boolean loadNextBatch() throws java.io.IOException {
    if (!parts.hasNext()) {
      return false;
    }
    try {
      Rows rows = parts.next();
      VectorSchemaRoot root = getVectorSchemaRoot();
      for (int i = 0; i < schema.size(); i++) {
        ArrowColumn.copy(
            Picked.of(rows), rows.batch().column(i), schema.column(i).type(), root.getVector(i));
      }
      root.setRowCount(rows.count());
      return true;
    } catch (RuntimeException | Error e) {
      // The exception crosses native code, which keeps only its text.
      failure = e;
      throw e;
    }
  }

  /** What went wrong while rows were copied; null if nothing did. */
  Throwable failure() {
    return failure;
  }

  @Override
  public long bytesRead() {
    return 0;
  }

  @Override
  protected void closeReadSource() {
    // The rows are ours and on the heap.
  }
}
