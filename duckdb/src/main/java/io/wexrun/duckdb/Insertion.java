package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.sql.AddedColumns;
import io.wexrun.sql.Answers;
import io.wexrun.sql.Loading;
import io.wexrun.sql.Replaced;
import io.wexrun.sql.RollingUp;
import io.wexrun.sql.UnfitRows;
import java.io.IOException;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import org.apache.arrow.c.ArrowArrayStream;
import org.apache.arrow.c.Data;
import org.apache.arrow.memory.BufferAllocator;
import org.duckdb.DuckDBConnection;

/**
 * Inserts rows into a table as one Arrow stream: merged first if it is a rollup, with columns for
 * what is new if the table gets some.
 *
 * @param zoneless the columns of the table that are timestamps without a zone: they are in UTC
 */
record Insertion(
    DuckDbStore store, Table table, Optional<AddedColumns> added, Set<String> zoneless) {
  /** The name of the rows in statements. */
  static final String STREAM = "wexrun_rows";

  /** What DuckDB says of rows, not of itself, its files or other transactions. */
  private static final Pattern ABOUT_ROWS =
      Pattern.compile(
          "(?s)(Constraint|Conversion|Invalid Input|Out of Range|Mismatch Type|Invalid unicode).*");

  /** Inserts rows in the connection's transaction; how many took no other's place. */
  long insert(DuckDBConnection connection, List<Rows> rows) throws SQLException {
    if (table.rollup().isPresent()) {
      return insert(connection, table, new RollingUp(table).merged(connection, rows));
    }
    if (added.isPresent()) {
      AddedColumns.Filled filled = added.get().fill(rows).orThrow();
      return insert(connection, filled.table(), filled.rows());
    }
    return insert(connection, table, rows);
  }

  private long insert(DuckDBConnection connection, Table into, List<Rows> parts)
      throws SQLException {
    String sql = Sql.insert(into, STREAM, zoneless);
    if (!Replaced.of(table)) {
      return stream(connection, into.schema(), parts, sql);
    }
    long before = Answers.count(connection, into.name());
    stream(connection, into.schema(), parts, sql);
    return Answers.count(connection, into.name()) - before;
  }

  /** Runs a statement that reads rows as the table {@link #STREAM}. */
  long stream(DuckDBConnection connection, Schema schema, List<Rows> parts, String sql)
      throws SQLException {
    try (BufferAllocator allocator = store.allocator();
        ArrowRows reader = new ArrowRows(allocator, schema, parts);
        ArrowArrayStream stream = ArrowArrayStream.allocateNew(allocator)) {
      Data.exportArrayStream(allocator, reader, stream);
      try (Statement statement = connection.createStatement()) {
        connection.registerArrowStream(STREAM, stream);
        return statement.executeLargeUpdate(sql);
      } catch (SQLException e) {
        if (reader.failure() != null) {
          e.addSuppressed(reader.failure());
        }
        throw e;
      }
    } catch (IOException e) {
      throw new OutsideException("cannot hand rows to " + store + ": " + e.getMessage(), e);
    }
  }

  /** Finds rows that the table does not take, as far as its constraints tell. */
  Map<Integer, String> unfit(List<Rows> rows, Loading.Searched searched) throws SQLException {
    if (table.rollup().isPresent()) {
      return Map.of(); // Groups are refused, not rows.
    }
    if (added.isPresent()) {
      AddedColumns.Filled filled = added.get().fill(rows);
      return filled.unfit().isEmpty()
          ? Search.unfit(this, filled.table(), filled.rows(), searched)
          : filled.unfit();
    }
    return Search.unfit(this, table, rows, searched);
  }

  /** Why the table does not take rows, if that is because of the rows; they are taken back. */
  Optional<String> failure(List<Rows> rows) throws SQLException {
    DuckDBConnection connection = store.connectToStage();
    try {
      insert(connection, rows);
      return Optional.empty();
    } catch (SQLException e) {
      if (!isAboutRows(e)) {
        throw e;
      }
      return e.getMessage().lines().findFirst().map(String::strip);
    } finally {
      store.disconnectStaged(connection);
    }
  }

  /** Whether an insertion failed because of its rows, so that others may be inserted. */
  static boolean isAboutRows(SQLException e) {
    return e instanceof UnfitRows || ABOUT_ROWS.matcher(String.valueOf(e.getMessage())).matches();
  }
}
