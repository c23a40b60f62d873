package io.wexrun.duckdb.encrypted;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;

/**
 * The order of rows by some of their columns: numbers and times by size, texts by their bytes, what
 * is absent last. Lists and structs count for nothing.
 */
final class RowOrder {
  private RowOrder() {}

  /** The rows, in order; as they come if there is no column. */
  static List<RowWriter.Row> of(List<Rows> parts, int[] columns) {
    List<RowWriter.Row> all = new ArrayList<>();
    for (Rows rows : parts) {
      for (int i = 0; i < rows.count(); i++) {
        all.add(new RowWriter.Row(rows.batch(), rows.row(i)));
      }
    }
    if (columns.length > 0) {
      Comparator<RowWriter.Row> order = (a, b) -> 0;
      for (int column : columns) {
        order = order.thenComparing((a, b) -> compare(a, b, column));
      }
      all.sort(order);
    }
    return all;
  }

  private static int compare(RowWriter.Row a, RowWriter.Row b, int column) {
    Batch one = a.batch();
    Batch other = b.batch();
    return compare(one.column(column), a.number(), other.column(column), b.number());
  }

  private static int compare(Vector one, int a, Vector other, int b) {
    if (one.absent(a) || other.absent(b)) {
      return Boolean.compare(one.absent(a), other.absent(b));
    }
    if (one instanceof LongVector longs) {
      return Long.compare(longs.get(a), ((LongVector) other).get(b));
    }
    if (one instanceof DoubleVector doubles) {
      return Double.compare(doubles.get(a), ((DoubleVector) other).get(b));
    }
    if (one instanceof TextVector text) {
      TextVector with = (TextVector) other;
      return Arrays.compareUnsigned(
          text.data(), text.start(a), text.end(a), with.data(), with.start(b), with.end(b));
    }
    return 0;
  }
}
