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
import java.util.Map;
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

  private static final long LOOK_MILLIS = 25;

  /** What a value takes beside what is in it. */
  private static final long VALUE = 40;

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
    return to(statement, sql, plain, bounds, Long.MAX_VALUE);
  }

  /**
   * The same in a database that runs in this process, which may not bound all of its memory.
   *
   * @param mostMemory by how many bytes the process may grow meanwhile, if the system tells that
   * @throws OutsideException if it takes longer, or more memory, or gives more, than it may
   */
  public static Answer to(
      Statement statement, String sql, Plain plain, QueryBounds bounds, long mostMemory)
      throws SQLException {
    AtomicBoolean late = new AtomicBoolean();
    AtomicBoolean large = new AtomicBoolean();
    long before = ResidentMemory.bytes().orElse(0L);
    ScheduledFuture<?> watch =
        CLOCK.scheduleWithFixedDelay(
            () -> {
              if (ResidentMemory.bytes().orElse(0L) - before > mostMemory && !large.get()) {
                large.set(true);
                cancel(statement);
              }
            },
            LOOK_MILLIS,
            LOOK_MILLIS,
            TimeUnit.MILLISECONDS);
    ScheduledFuture<?> end =
        CLOCK.schedule(
            () -> {
              late.set(true);
              cancel(statement);
            },
            bounds.longest().toMillis(),
            TimeUnit.MILLISECONDS);
    try {
      return statement.execute(sql)
          ? of(statement.getResultSet(), plain, bounds)
          : new Answer(List.of(), List.of(), List.of());
    } catch (SQLException e) {
      if (late.get()) {
        throw new OutsideException(
            "the query was ended after " + Counted.of(bounds.longest().toSeconds(), "second"), e);
      }
      if (large.get()) {
        throw new OutsideException(
            "the query was ended since it needs more than "
                + (mostMemory >> 20)
                + " MB of memory: let it read or give less",
            e);
      }
      throw e;
    } finally {
      end.cancel(false);
      watch.cancel(false);
    }
  }

  private static void cancel(Statement statement) {
    try {
      statement.cancel();
    } catch (SQLException e) {
      // It has ended by itself.
    }
  }

  /** About how many bytes of memory a plain value takes. */
  private static long bytes(Object value) {
    if (value instanceof String text) {
      return 2L * text.length() + VALUE;
    } else if (value instanceof List<?> list) {
      return list.stream().mapToLong(Answers::bytes).sum() + VALUE;
    } else if (value instanceof Map<?, ?> map) {
      return map.entrySet().stream().mapToLong(e -> bytes(e.getKey()) + bytes(e.getValue())).sum()
          + VALUE;
    }
    return VALUE;
  }

  private static Answer of(ResultSet rows, Plain plain, QueryBounds bounds) throws SQLException {
    int most = bounds.mostRows();
    long left = bounds.mostBytes();
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
        left -= bytes(row.get(i - 1));
      }
      if (left < 0) {
        throw new OutsideException(
            "the rows that the query gives take more than "
                + (bounds.mostBytes() >> 20)
                + " MB: add a limit to it, or name fewer columns");
      }
      values.add(row);
    }
    return new Answer(columns, numeric, values);
  }
}
