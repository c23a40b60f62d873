package io.wexrun.sql;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.rollup.Grouping;
import io.wexrun.core.rollup.OutOfRange;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

/**
 * Merges rows into the groups that a table of a database has. Whoever uses it sees to it that no
 * other transaction changes these groups meanwhile. For several threads.
 */
public final class RollingUp {
  /** So many groups are asked for at once. */
  private static final int AT_ONCE = 2000;

  private final Table table;
  private final Schema kept;

  /** For a table that is a rollup. */
  public RollingUp(Table table) {
    this.table = table;
    Rollup rollup = table.rollup().orElseThrow();
    // The values of a group are known from the rows; only what is kept of it is read.
    this.kept =
        new Schema(
            table.schema().columns().stream()
                .filter(column -> !rollup.group().contains(column.name()))
                .toList());
  }

  /**
   * The groups of rows, with what the table has of them: to take the places of those.
   *
   * @param rows at least one part
   * @throws UnfitRows if a measure does not fit into its column
   */
  public List<Rows> merged(Connection connection, List<Rows> rows) throws SQLException {
    Grouping grouping = Grouping.of(table, rows);
    List<String> ids = grouping.ids();
    for (int from = 0; from < ids.size(); from += AT_ONCE) {
      List<String> some = ids.subList(from, Math.min(ids.size(), from + AT_ONCE));
      grouping.absorb(stored(connection, some));
    }
    try {
      return List.of(Rows.all(grouping.rows()));
    } catch (OutOfRange e) {
      throw new UnfitRows(e.getMessage());
    }
  }

  /** What the table has of some groups. */
  private Batch stored(Connection connection, List<String> ids) throws SQLException {
    String query =
        "select "
            + Names.list(kept.names())
            + " from "
            + Names.name(table.name())
            + " where "
            + Names.name(Rollup.ID)
            + " in ("
            + ids.stream().map(Names::text).collect(Collectors.joining(", "))
            + ")";
    List<Vector> columns = new ArrayList<>();
    kept.columns().forEach(column -> columns.add(Vectors.forType(column.type(), 64)));
    int count = 0;
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(query)) {
      for (; rows.next(); count++) {
        for (int c = 0; c < columns.size(); c++) {
          Column column = kept.column(c);
          StoredValues.append(rows, c + 1, column.type(), columns.get(c));
        }
      }
    }
    return Batch.ofNoRecords(kept, columns, count);
  }
}
