package io.wexrun.sql;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Predicate;

/** The columns of a table that is there, in our types. */
public final class LiveColumns {
  private LiveColumns() {}

  /** Reads them, as {@link #of(Dialect, Connection, String, Predicate)} does. */
  public static Optional<Schema> of(Dialect dialect, Connection connection, String table)
      throws SQLException {
    return of(dialect, connection, table, column -> false);
  }

  /**
   * Reads them. Columns that the database fills by itself and that take no null are left out.
   *
   * @param filled whether the database fills a column in a way that it does not say
   * @return empty if there is no such table
   * @throws OutsideException if a column has a type that Wexrun does not hold
   */
  public static Optional<Schema> of(
      Dialect dialect, Connection connection, String table, Predicate<StoredColumn> filled)
      throws SQLException {
    List<StoredColumn> there = dialect.columns(connection, table);
    List<Column> columns = new ArrayList<>();
    for (StoredColumn column : there) {
      if (column.filled() && column.required() || filled.test(column)) {
        continue;
      }
      Type type =
          dialect
              .read(column)
              .orElseThrow(
                  () ->
                      OutsideException.lasting(
                          "column '"
                              + column.name()
                              + "' is a "
                              + column.type()
                              + ", which Wexrun does not hold"));
      columns.add(new Column(column.name(), type, column.required()));
    }
    return there.isEmpty() ? Optional.empty() : Optional.of(new Schema(columns));
  }
}
