package io.wexrun.duckdb;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.TableDifference;
import io.wexrun.core.target.Target;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Statement;
import java.sql.Types;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Properties;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.memory.RootAllocator;
import org.duckdb.DuckDBConnection;

/** A DuckDB file. One process at a time has it open; within it, any number of threads. */
final class DuckDbStore implements Store {
  /** DuckDB names the holder of a file in the middle of a longer text. */
  private static final Pattern HOLDER =
      Pattern.compile("Conflicting lock is held in (.*?) \\(PID (\\d+)\\)");

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

  private final String name;
  private final Path file;
  private final DuckDBConnection connection;
  private final RootAllocator root = new RootAllocator();

  DuckDbStore(String name, Path file, long memory) {
    this.name = name;
    this.file = file;
    Properties settings = new Properties();
    settings.setProperty("memory_limit", memory + "B");
    DuckDBConnection opened = null;
    try {
      opened = (DuckDBConnection) DriverManager.getConnection("jdbc:duckdb:" + file, settings);
      try (Statement statement = opened.createStatement()) {
        statement.execute("create schema if not exists wexrun");
        statement.execute(
            "create table if not exists wexrun.progress (pipeline varchar not null, target varchar"
                + " not null, source varchar not null, position bigint not null)");
      }
    } catch (SQLException e) {
      throw cannotOpen(e);
    } catch (LinkageError e) {
      throw new OutsideException(
          "DuckDB's native library cannot be unpacked into "
              + System.getProperty("java.io.tmpdir")
              + ": "
              + cause(e)
              + ". Make room there (80 MB), or name another folder with -Djava.io.tmpdir",
          e);
    }
    this.connection = opened;
  }

  private static String cause(Throwable failure) {
    Throwable deepest = failure;
    while (deepest.getCause() != null) {
      deepest = deepest.getCause();
    }
    return String.valueOf(deepest.getMessage());
  }

  private OutsideException cannotOpen(SQLException e) {
    Matcher holder = HOLDER.matcher(String.valueOf(e.getMessage()));
    if (holder.find()) {
      return new OutsideException(
          this
              + " is held by process "
              + holder.group(2)
              + " ("
              + holder.group(1)
              + "); stop that one, or wait until it ends",
          e);
    }
    return new OutsideException("cannot open " + this + ": " + firstLine(e), e);
  }

  private static String firstLine(SQLException e) {
    return String.valueOf(e.getMessage()).lines().findFirst().orElse("").strip();
  }

  OutsideException failed(String what, SQLException e) {
    String message = String.valueOf(e.getMessage()).strip();
    return new OutsideException(
        "cannot "
            + what
            + " in "
            + this
            + ": "
            + message
            + ". Nothing of this flush is in the table; mend that and run again",
        e);
  }

  /** Work on the store's own connection. */
  @FunctionalInterface
  interface Work<T> {
    T on(DuckDBConnection connection) throws SQLException;
  }

  synchronized <T> T with(String what, Work<T> work) {
    try {
      return work.on(connection);
    } catch (SQLException e) {
      throw failed(what, e);
    }
  }

  /** A new connection in a transaction of its own. */
  DuckDBConnection connect() {
    return with(
        "connect",
        c -> {
          DuckDBConnection other = c.duplicate();
          other.setAutoCommit(false);
          return other;
        });
  }

  BufferAllocator allocator() {
    return root.newChildAllocator(name, 0, Long.MAX_VALUE);
  }

  @Override
  public Target target(String pipeline, Table table) {
    with(
        "make table " + table.name(),
        c -> {
          dropOrder(c);
          try (Statement statement = c.createStatement()) {
            List<Stored> there = Stored.columns(statement, table.name());
            if (there.isEmpty()) {
              statement.execute(Sql.createTable(table.name(), table.schema().columns()));
            } else {
              compare(table, there, statement);
            }
          }
          return null;
        });
    return new DuckDbTarget(this, pipeline, table);
  }

  /**
   * Lets inserts write rows in any order, which takes a third off their cost: a table has no order.
   * A process that only asks keeps the order in which rows came.
   */
  private static void dropOrder(Connection c) throws SQLException {
    try (Statement statement = c.createStatement()) {
      statement.execute("set preserve_insertion_order = false");
    }
  }

  /** A table that is there must have the same columns in the same order and of the same types. */
  private void compare(Table table, List<Stored> there, Statement statement) throws SQLException {
    if (!Stored.of(table, statement).equals(there)) {
      Optional<TableDifference> difference = Stored.difference(table, there, statement);
      throw new OutsideException(
          "table "
              + table.name()
              + " in "
              + this
              + " has other columns than wexrun.yaml says: "
              + difference.map(DuckDbStore::told).orElse("they stand in another order")
              + ". 'wexrun check' shows the difference and the statements that would close it");
    }
  }

  private static String told(TableDifference difference) {
    return difference.columns().stream()
        .map(
            column ->
                column.name()
                    + ": "
                    + column.there().map(type -> type + " in the store").orElse("not in the store")
                    + ", "
                    + column.defined().orElse("not")
                    + " defined")
        .collect(Collectors.joining("; "));
  }

  @Override
  public Optional<TableDifference> compare(Table table) {
    return with(
        "compare table " + table.name(),
        c -> {
          try (Statement statement = c.createStatement()) {
            List<Stored> there = Stored.columns(statement, table.name());
            boolean same = there.isEmpty() || Stored.of(table, statement).equals(there);
            return same ? Optional.empty() : Stored.difference(table, there, statement);
          }
        });
  }

  @Override
  public Answer query(String sql) {
    try (DuckDBConnection other = connect();
        Statement statement = other.createStatement()) {
      boolean rows = statement.execute(sql);
      Answer answer =
          rows ? answer(statement.getResultSet()) : new Answer(List.of(), List.of(), List.of());
      other.commit();
      return answer;
    } catch (SQLException e) {
      throw new OutsideException(
          this + " does not take the query: " + String.valueOf(e.getMessage()).strip(), e);
    }
  }

  private static Answer answer(ResultSet rows) throws SQLException {
    ResultSetMetaData meta = rows.getMetaData();
    List<String> columns = new ArrayList<>();
    List<Boolean> numeric = new ArrayList<>();
    for (int i = 1; i <= meta.getColumnCount(); i++) {
      columns.add(meta.getColumnName(i));
      numeric.add(NUMBERS.contains(meta.getColumnType(i)));
    }
    List<List<Object>> values = new ArrayList<>();
    while (rows.next()) {
      List<Object> row = new ArrayList<>();
      for (int i = 1; i <= columns.size(); i++) {
        row.add(PlainValues.plain(rows.getObject(i)));
      }
      values.add(row);
    }
    return new Answer(columns, numeric, values);
  }

  @Override
  public String toString() {
    return "store " + name + " (" + file + ")";
  }

  @Override
  public synchronized void close() {
    try {
      connection.close();
    } catch (SQLException e) {
      throw failed("close", e);
    }
    root.close();
  }
}
