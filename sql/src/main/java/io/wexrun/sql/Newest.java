package io.wexrun.sql;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Set;

/** Of rows with the same key only the last one. */
final class Newest {
  private Newest() {}

  /**
   * The rows that no later one replaces; all of them if the table has no key, or merges them.
   *
   * @return as many parts, some of them perhaps with no rows
   */
  static List<Rows> of(Table table, List<Rows> parts) {
    if (table.key().isEmpty() || table.rollup().isPresent()) {
      return parts;
    }
    Set<String> seen = new HashSet<>();
    List<Rows> newest = new ArrayList<>(parts);
    for (int part = parts.size() - 1; part >= 0; part--) {
      Rows rows = parts.get(part);
      int[] kept = new int[rows.count()];
      int at = kept.length;
      for (int i = rows.count() - 1; i >= 0; i--) {
        String key = key(table, rows.batch(), rows.row(i));
        if (seen.add(key)) {
          kept[--at] = rows.row(i);
        }
      }
      int[] own = Arrays.copyOfRange(kept, at, kept.length);
      newest.set(part, Rows.of(rows.batch(), own, own.length));
    }
    return newest;
  }

  /** A text that is the same for the same key, and for no other. */
  private static String key(Table table, Batch batch, int row) {
    StringBuilder key = new StringBuilder();
    for (String column : table.key()) {
      int place = table.schema().find(column).orElseThrow();
      Vector vector = batch.column(place);
      Type type = table.schema().column(place).type();
      String text = ValueText.text(type, vector, row);
      key.append(text.length()).append(':').append(text);
    }
    return key.toString();
  }
}
