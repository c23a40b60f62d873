package io.wexrun.duckdb;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.Iterator;
import java.util.List;
import org.apache.arrow.memory.ArrowBuf;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.vector.BaseFixedWidthVector;
import org.apache.arrow.vector.BaseVariableWidthVector;
import org.apache.arrow.vector.FieldVector;
import org.apache.arrow.vector.VectorSchemaRoot;
import org.apache.arrow.vector.ipc.ArrowReader;
import org.apache.arrow.vector.types.DateUnit;
import org.apache.arrow.vector.types.FloatingPointPrecision;
import org.apache.arrow.vector.types.TimeUnit;
import org.apache.arrow.vector.types.pojo.ArrowType;
import org.apache.arrow.vector.types.pojo.Field;

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
    return Field.nullable(column.name(), type(column.type()));
  }

  private static ArrowType type(Type type) {
    if (type instanceof Type.Decimal) {
      return new ArrowType.Int(64, true);
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
        copy(rows, rows.batch().column(i), schema.column(i).type(), root.getVector(i));
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

  private static void copy(Rows rows, Vector from, Type type, FieldVector to) {
    int count = rows.count();
    if (from instanceof TextVector text) {
      copyText(rows, text, (BaseVariableWidthVector) to);
    } else {
      BaseFixedWidthVector fixed = (BaseFixedWidthVector) to;
      fixed.allocateNew(count);
      if (from instanceof DoubleVector doubles) {
        for (int i = 0; i < count; ) {
          int run = rows.run(i);
          Bulk.copy(doubles.values(), rows.row(i), fixed.getDataBuffer(), i * 8L, run);
          i += run;
        }
      } else {
        copyLongs(rows, (LongVector) from, type, fixed.getDataBuffer());
      }
    }
    copyValidity(rows, from, to.getValidityBuffer());
    to.setValueCount(count);
  }

  private static void copyLongs(Rows rows, LongVector from, Type type, ArrowBuf to) {
    int count = rows.count();
    long[] values = from.values();
    if (type == Type.Scalar.BOOL) {
      to.setZero(0, (count + 7) / 8);
      for (int i = 0; i < count; i++) {
        if (values[rows.row(i)] != 0) {
          to.setByte(i >> 3, to.getByte(i >> 3) | 1 << (i & 7));
        }
      }
    } else if (type == Type.Scalar.INT || type == Type.Scalar.DATE) {
      for (int i = 0; i < count; i++) {
        to.setInt(i * 4L, (int) values[rows.row(i)]);
      }
    } else {
      for (int i = 0; i < count; ) {
        int run = rows.run(i);
        Bulk.copy(values, rows.row(i), to, i * 8L, run);
        i += run;
      }
    }
  }

  private static void copyText(Rows rows, TextVector from, BaseVariableWidthVector to) {
    int count = rows.count();
    long bytes = 0;
    for (int i = 0; i < count; ) {
      int run = rows.run(i);
      bytes += from.end(rows.row(i) + run - 1) - from.start(rows.row(i));
      i += run;
    }
    to.allocateNew(bytes, count);
    ArrowBuf offsets = to.getOffsetBuffer();
    ArrowBuf data = to.getDataBuffer();
    int[] ends = from.offsets();
    int written = 0;
    offsets.setInt(0, 0);
    // Invariant: the texts of the first i rows fill data[0, written).
    for (int i = 0; i < count; ) {
      int run = rows.run(i);
      int first = rows.row(i);
      int start = ends[first];
      int length = ends[first + run] - start;
      data.setBytes(written, from.data(), start, length);
      int shift = written - start;
      for (int k = 1; k <= run; k++) {
        offsets.setInt((i + k) * 4L, ends[first + k] + shift);
      }
      written += length;
      i += run;
    }
    to.setLastSet(count - 1);
  }

  private static void copyValidity(Rows rows, Vector from, ArrowBuf to) {
    int count = rows.count();
    int bytes = (count + 7) / 8;
    to.setOne(0L, bytes);
    if (!from.hasAbsent()) {
      return;
    }
    for (int i = 0; i < count; i++) {
      if (from.absent(rows.row(i))) {
        to.setByte(i >> 3, to.getByte(i >> 3) & ~(1 << (i & 7)));
      }
    }
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
