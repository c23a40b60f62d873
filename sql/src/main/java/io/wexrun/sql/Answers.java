package io.wexrun.sql;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.QueryBounds;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Statement;
import java.sql.Types;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;

/** What queries gave. */
public final class Answers {
  private static final Set<Integer> NUMBERS =
      Set.of(
          Types.TINYINT,
          Types.SMALLINT,
          Types.INTEGER,
          Types.BIGINT,
          Types.FLOAT,
          Types.DOUBLE,
          Types.DECIMAL,
          Types.NUMERIC,
          Types.REAL);

  /** Ends queries; one thread for all, which does not keep the process alive. */
  private static final ScheduledExecutorService CLOCK =
      Executors.newSingleThreadScheduledExecutor(
          work -> {
            Thread thread = new Thread(work, "query-bounds");
            thread.setDaemon(true);
            return thread;
          });

  private Answers() {}

  /** How many rows a table has. */
  public static long count(Connection connection, String table) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery("select count(*) from " + Names.name(table))) {
      rows.next();
      return rows.getLong(1);
    }
  }

  /** Makes values of a database's driver plain: null, Boolean, Number, String, List, Map. */
  @FunctionalInterface
  public interface Plain {
    /** A value, plain. */
    Object of(Object value) throws SQLException;
  }

  /** Executes SQL; the rows of its result, if it has one. */
  public static Answer to(Statement statement, String sql, Plain plain) throws SQLException {
    return to(statement, sql, plain, QueryBounds.NONE);
  }

  /**
   * Executes SQL; the rows of its result, if it has one.
   *
   * @throws OutsideException if it takes longer, or gives more rows, than it may
   */
  public static Answer to(Statement statement, String sql, Plain plain, QueryBounds bounds)
      throws SQLException {
    AtomicBoolean late = new AtomicBoolean();
    ScheduledFuture<?> end =
        CLOCK.schedule(
            () -> {
              late.set(true);
              statement.cancel();
              return null;
            },
            bounds.longest().toMillis(),
            TimeUnit.MILLISECONDS);
    try {
      return statement.execute(sql)
          ? of(statement.getResultSet(), plain, bounds.mostRows())
          : new Answer(List.of(), List.of(), List.of());
    } catch (SQLException e) {
      if (late.get()) {
        throw new OutsideException(
            "the query was ended after " + Counted.of(bounds.longest().toSeconds(), "second"), e);
      }
      throw e;
    } finally {
      end.cancel(false);
    }
  }

  private static Answer of(ResultSet rows, Plain plain, int most) throws SQLException {
    ResultSetMetaData meta = rows.getMetaData();
    List<String> columns = new ArrayList<>();
    List<Boolean> numeric = new ArrayList<>();
    for (int i = 1; i <= meta.getColumnCount(); i++) {
      columns.add(meta.getColumnName(i));
      boolean huge = "HUGEINT".equals(meta.getColumnTypeName(i)); // What DuckDB's sums are.
      numeric.add(huge || NUMBERS.contains(meta.getColumnType(i)));
    }
    List<List<Object>> values = new ArrayList<>();
    while (rows.next()) {
      if (values.size() == most) {
        throw new OutsideException(
            "the query gives more than " + Counted.of(most, "row") + ": add a limit to it");
      }
      List<Object> row = new ArrayList<>();
      for (int i = 1; i <= columns.size(); i++) {
        row.add(plain.of(rows.getObject(i)));
      }
      values.add(row);
    }
    return new Answer(columns, numeric, values);
  }
}
