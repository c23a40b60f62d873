package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Schema;
import java.util.ArrayList;
import java.util.List;

/** Merges the rows that two kinds send to one target into the order of their records. */
final class Merging {
  private Merging() {}

  /** The rows of both, which have one schema and come from the same records. */
  static Rows of(Rows a, Rows b) {
    Schema schema = a.batch().schema();
    int count = a.count() + b.count();
    List<Vector> columns = new ArrayList<>();
    schema.columns().forEach(column -> columns.add(Vectors.forType(column.type(), count)));
    int[] records = new int[count];
    int i = 0;
    int j = 0;
    // Invariant: the first i rows of a and the first j rows of b are merged.
    while (i + j < count) {
      boolean fromA = j == b.count() || i < a.count() && record(a, i) <= record(b, j);
      Rows from = fromA ? a : b;
      int row = from.row(fromA ? i : j);
      records[i + j] = from.batch().record(row);
      for (int c = 0; c < columns.size(); c++) {
        columns.get(c).appendFrom(from.batch().column(c), row);
      }
      i += fromA ? 1 : 0;
      j += fromA ? 0 : 1;
    }
    return Rows.all(new Batch(schema, columns, count, a.batch().records(), records));
  }

  private static int record(Rows rows, int i) {
    return rows.batch().record(rows.row(i));
  }
}
