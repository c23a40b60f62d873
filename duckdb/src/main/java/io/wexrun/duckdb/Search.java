package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.pipeline.Table;
import io.wexrun.sql.Loading;
import io.wexrun.sql.Numbered;
import io.wexrun.sql.Unfit;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import org.duckdb.DuckDBConnection;

/**
 * Finds the rows that a table does not take by asking its constraints: DuckDB gives up a whole
 * transaction for one row. What cannot be asked is found by inserting halves.
 */
final class Search {
  private Search() {}

  /**
   * Searches rows, on a connection of its own.
   *
   * @return why rows are refused, by their numbers
   */
  static Map<Integer, String> unfit(
      Insertion insertion, Table into, List<Rows> rows, Loading.Searched searched)
      throws SQLException {
    DuckDbStore store = insertion.store();
    DuckDBConnection connection = store.connectToStage();
    try (Statement statement = connection.createStatement()) {
      connection.setAutoCommit(true); // A query that fails takes back no other.
      Table staged = Unfit.staged(into);
      insertion.stream(
          connection,
          staged.schema(),
          Numbered.rows(into.schema(), rows),
          "create temp table "
              + Unfit.STAGED
              + " as "
              + Sql.select(staged.schema().columns(), Insertion.STREAM));
      statement.execute(Unfit.MAKE_FOUND);
      Map<Integer, String> unfit =
          Unfit.find(connection, DuckDbStore.DIALECT, into, Search::attempt);
      searched.rows(rows.stream().mapToLong(Rows::count).sum(), unfit.size());
      return unfit;
    } finally {
      store.disconnectStaged(connection);
    }
  }

  private static void attempt(Statement statement, String query) {
    try {
      statement.execute(query);
    } catch (SQLException e) {
      // It is about columns that the rows have not, or fails for some of them: halves tell.
      System.getLogger(Search.class.getName())
          .log(System.Logger.Level.DEBUG, "a constraint cannot be asked", e);
    }
  }
}
