package io.wexrun.sql;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.HashMap;
import java.util.Map;
import java.util.OptionalLong;

/**
 * How many rows of a table with a key took the places of others, so that it is known how many it
 * must have. It is kept with the progress of each writer, as if it were the position of a source
 * partition of its own. What was loaded before it was counted is not known. Without state.
 */
public final class Replaced {
  /** The source partition that it is kept as; no file or queue has this name. */
  public static final SourcePartition SOURCE = new SourcePartition("//replaced");

  private Replaced() {}

  /** Whether it is counted for a table. */
  public static boolean of(Table table) {
    return !table.key().isEmpty() && table.rollup().isEmpty();
  }

  /**
   * Whether it can be counted on: not if the writer began before it was counted.
   *
   * @param progress of the writer, with this
   */
  public static boolean counts(Table table, Map<SourcePartition, Long> progress) {
    return of(table) && (progress.isEmpty() || progress.containsKey(SOURCE));
  }

  /** A writer's progress without it. */
  public static Map<SourcePartition, Long> without(Map<SourcePartition, Long> progress) {
    Map<SourcePartition, Long> sources = new HashMap<>(progress);
    sources.remove(SOURCE);
    return Map.copyOf(sources);
  }

  /**
   * What a flush makes of it, as one more source partition whose end it moves.
   *
   * @param ends of the flush's source partitions
   * @param expected the progress before the flush, with this
   */
  public static Map<SourcePartition, Long> with(
      Map<SourcePartition, Long> ends, Map<SourcePartition, Long> expected, Loading loading) {
    Map<SourcePartition, Long> all = new HashMap<>(ends);
    all.put(SOURCE, expected.getOrDefault(SOURCE, 0L) + loading.replaced());
    return all;
  }

  /**
   * How many rows of a table replaced others, of all writers.
   *
   * @param position the column with the position
   * @return empty if a writer began before that was counted
   */
  public static OptionalLong of(Connection connection, Identity table, String position)
      throws SQLException {
    try (PreparedStatement select =
        connection.prepareStatement(
            "select max(case when source = ? then "
                + position
                + " end) from wexrun.progress where table_id = ? group by writer")) {
      select.setString(1, SOURCE.name());
      select.setString(2, table.text());
      long all = 0;
      try (ResultSet writers = select.executeQuery()) {
        while (writers.next()) {
          all += writers.getLong(1);
          if (writers.wasNull()) {
            return OptionalLong.empty();
          }
        }
      }
      return OptionalLong.of(all);
    }
  }
}
