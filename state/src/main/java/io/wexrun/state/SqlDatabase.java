package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;

/**
 * One connection to a database, used in transactions. After a failure nobody knows in which state
 * the connection is, as SQLite ends a transaction by itself when the disk is full: it is closed,
 * and opened again when it is needed. For several threads, one at a time.
 */
final class SqlDatabase implements AutoCloseable {
  /** What SQLite says if somebody else writes. */
  private static final int BUSY = 5;

  private static final Duration PATIENCE = Duration.ofSeconds(30);

  private final Opener opener;
  private final String name;
  private Connection connection;
  private boolean closed;

  /** Opens a connection that does not commit by itself. */
  @FunctionalInterface
  interface Opener {
    Connection open() throws SQLException;
  }

  /**
   * A database that is open from now on.
   *
   * @param name for messages
   */
  SqlDatabase(Opener opener, String name) throws SQLException {
    this.opener = opener;
    this.name = name;
    this.connection = opener.open();
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
      if (connection == null) {
        if (closed) {
          throw new SQLException("it is closed");
        }
        connection = opener.open();
      }
      while (true) {
        try {
          T result = work.on(connection);
          connection.commit();
          return result;
        } catch (SQLException e) {
          if (e.getErrorCode() != BUSY || System.nanoTime() > until) {
            throw e;
          }
          connection.rollback(); // Somebody has written since this transaction began to read.
        }
      }
    } catch (SQLException e) {
      discard(e);
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
      discard(e);
      throw e;
    }
  }

  /** Closing a connection rolls back what is not committed. */
  private void discard(Exception cause) {
    try (Connection unknown = connection) {
      connection = null;
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
    closed = true;
    try (Connection open = connection) {
      connection = null;
    } catch (SQLException e) {
      throw new OutsideException("cannot close " + name + ": " + e.getMessage(), e);
    }
  }
}
