package io.wexrun.duckdb;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.util.List;
import org.apache.arrow.memory.ArrowBuf;
import org.apache.arrow.vector.BaseFixedWidthVector;
import org.apache.arrow.vector.BaseVariableWidthVector;
import org.apache.arrow.vector.DecimalVector;
import org.apache.arrow.vector.FieldVector;

/** Copies values out of our vectors into Arrow's. */
final class ArrowColumn {
  private ArrowColumn() {}

  /** Copies some rows of a column into an Arrow vector of the type, which it fills. */
  static void copy(Picked rows, Vector from, Type type, FieldVector to) {
    int count = rows.count();
    if (from instanceof ListVector lists) {
      copyLists(rows, lists, (Type.ListOf) type, (org.apache.arrow.vector.complex.ListVector) to);
    } else if (from instanceof StructVector structs) {
      to.setInitialCapacity(count);
      to.allocateNew();
      List<Column> fields = ((Type.Struct) type).fields();
      for (int i = 0; i < fields.size(); i++) {
        FieldVector child = to.getChildrenFromFields().get(i);
        copy(rows, structs.fields().get(i), fields.get(i).type(), child);
      }
    } else if (from instanceof TextVector text) {
      copyText(rows, text, (BaseVariableWidthVector) to);
    } else if (to instanceof DecimalVector decimals) {
      copyDecimals(rows, (LongVector) from, decimals);
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
    if (to instanceof org.apache.arrow.vector.complex.ListVector lists) {
      lists.setLastSet(count - 1);
    }
    to.setValueCount(count);
  }

  private static void copyLists(
      Picked rows,
      ListVector from,
      Type.ListOf type,
      org.apache.arrow.vector.complex.ListVector to) {
    int count = rows.count();
    to.setInitialCapacity(count);
    to.allocateNew();
    Picked elements = rows.elements(from);
    ArrowBuf offsets = to.getOffsetBuffer();
    int end = 0;
    offsets.setInt(0, 0);
    for (int i = 0; i < count; i++) {
      int row = rows.row(i);
      end += from.end(row) - from.start(row);
      offsets.setInt((i + 1) * 4L, end);
    }
    copy(elements, from.elements(), type.element(), to.getDataVector());
  }

  /** 128 bits, little-endian, of the unscaled value. */
  private static void copyDecimals(Picked rows, LongVector from, DecimalVector to) {
    to.allocateNew(rows.count());
    for (int i = 0; i < rows.count(); i++) {
      long value = from.get(rows.row(i));
      to.getDataBuffer().setLong(i * 16L, value);
      to.getDataBuffer().setLong(i * 16L + 8, value < 0 ? -1 : 0);
    }
  }

  private static void copyLongs(Picked rows, LongVector from, Type type, ArrowBuf to) {
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

  private static void copyText(Picked rows, TextVector from, BaseVariableWidthVector to) {
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

  private static void copyValidity(Picked rows, Vector from, ArrowBuf to) {
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
}
