package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;

/** One connection to a database, used in transactions. For several threads, one at a time. */
final class SqlDatabase implements AutoCloseable {
  /** What SQLite says if somebody else writes. */
  private static final int BUSY = 5;

  private static final Duration PATIENCE = Duration.ofSeconds(30);

  private final Connection connection;
  private final String name;

  /**
   * A database on a connection that does not commit by itself; closes it.
   *
   * @param name for messages
   */
  SqlDatabase(Connection connection, String name) {
    this.connection = connection;
    this.name = name;
  }

  /** Work on the connection, as one transaction. */
  @FunctionalInterface
  interface Work<T> {
    T on(Connection connection) throws SQLException;
  }

  /** Takes one row of a result. */
  @FunctionalInterface
  interface RowTaker {
    void take(ResultSet row) throws SQLException;
  }

  /**
   * Does work and commits it; or, if it fails, nothing. The work is done again if another process
   * came between, so it must not keep anything of an attempt.
   *
   * @param what for the message: {@code write the tally}
   */
  synchronized <T> T transaction(String what, Work<T> work) {
    long until = System.nanoTime() + PATIENCE.toNanos();
    try {
      while (true) {
        try {
          T result = work.on(connection);
          connection.commit();
          return result;
        } catch (SQLException e) {
          if (e.getErrorCode() != BUSY || System.nanoTime() > until) {
            throw e;
          }
          rollback(e); // Another process has written since this transaction began to read.
        }
      }
    } catch (SQLException e) {
      rollback(e);
      throw new OutsideException(
          "cannot "
              + what
              + " in "
              + name
              + ": "
              + e.getMessage()
              + ". Nothing was changed; mend that and run again",
          e);
    } catch (RuntimeException e) {
      rollback(e);
      throw e;
    }
  }

  private void rollback(Exception cause) {
    try {
      connection.rollback();
    } catch (SQLException e) {
      cause.addSuppressed(e);
    }
  }

  /** Runs a statement with parameters; how many rows it changed. */
  static int update(Connection connection, String sql, Object... parameters) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      set(statement, parameters);
      return statement.executeUpdate();
    }
  }

  /** Takes the rows of a query with parameters. */
  static void query(Connection connection, RowTaker taker, String sql, Object... parameters)
      throws SQLException {
    try (PreparedStatement select = connection.prepareStatement(sql)) {
      set(select, parameters);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          taker.take(rows);
        }
      }
    }
  }

  private static void set(PreparedStatement statement, Object... parameters) throws SQLException {
    for (int i = 0; i < parameters.length; i++) {
      statement.setObject(i + 1, parameters[i]);
    }
  }

  @Override
  public synchronized void close() {
    try {
      connection.close();
    } catch (SQLException e) {
      throw new OutsideException("cannot close " + name + ": " + e.getMessage(), e);
    }
  }
}
