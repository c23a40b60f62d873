package io.wexrun.duckdb;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Schema;
import io.wexrun.sql.LiveColumns;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Properties;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The columns of a {@code CREATE TABLE} statement in a file: a DuckDB that holds nothing runs it,
 * and says what it has made. Columns that the database fills by itself and that take no null are
 * left out.
 */
public final class SqlColumns implements ColumnsReader {
  /** The type that stands for numbers which a server gives by itself. */
  private static final String FILLED = "ENUM('given by the server')";

  /** Types of servers that DuckDB has under other names. */
  private static final List<String> ALIASES =
      List.of(
          "create type jsonb as json",
          "create type citext as varchar",
          "create type serial as " + FILLED,
          "create type bigserial as " + FILLED);

  /** What a column's type is written as in a statement; DuckDB forgets the length of texts. */
  private static final Pattern LENGTH =
      Pattern.compile(
          "[(,]\\s*\"?([\\p{L}_][\\p{L}\\p{N}_$]*)\"?\\s+(?:varchar|character"
              + " varying|char|character)\\s*\\(\\s*(\\d{1,9})\\s*\\)",
          Pattern.CASE_INSENSITIVE);

  @Override
  public String kind() {
    return "sql";
  }

  @Override
  public Columns read(Path file, Settings settings, String table) throws IOException {
    String sql = Files.readString(file);
    Properties properties = new Properties();
    properties.setProperty("enable_external_access", "false");
    properties.setProperty("autoinstall_known_extensions", "false");
    properties.setProperty("autoload_known_extensions", "false");
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:", properties)) {
      for (String alias : ALIASES) {
        execute(connection, alias);
      }
      String name = made(connection, sql, table);
      Schema columns =
          LiveColumns.of(new DuckDbDialect(), connection, name, c -> c.type().equals(FILLED))
              .orElseThrow();
      return new Columns(columns, lengths(sql));
    } catch (OutsideException e) {
      throw new IllegalArgumentException(e.getMessage(), e);
    } catch (SQLException e) {
      String why = String.valueOf(e.getMessage()).lines().findFirst().orElse("").strip();
      boolean syntax = why.contains("syntax error");
      throw new IllegalArgumentException(
          "DuckDB does not understand it: "
              + why
              + (syntax ? " (names that are words of SQL stand in quotes)" : ""),
          e);
    }
  }

  private static void execute(Connection connection, String sql) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** The table of the same name, or the only one. */
  private static String made(Connection connection, String sql, String table) throws SQLException {
    SQLException failure = null;
    for (String statement : sql.split(";\\s*(\\n|$)")) {
      try {
        execute(connection, statement);
      } catch (SQLException e) {
        // Indexes, rights and comments of other databases are not for DuckDB; a table is.
        failure = failure == null ? e : failure;
      }
    }
    List<String> names = new ArrayList<>();
    try (Statement statement = connection.createStatement();
        ResultSet rows =
            statement.executeQuery("select table_name from duckdb_tables() order by table_name")) {
      while (rows.next()) {
        names.add(rows.getString(1));
      }
    }
    if (names.isEmpty() && failure != null) {
      throw failure;
    }
    if (names.contains(table)) {
      return table;
    }
    if (names.size() != 1) {
      throw new IllegalArgumentException(
          names.isEmpty()
              ? "it makes no table"
              : "it makes several tables, none of them named '" + table + "': " + names);
    }
    return names.get(0);
  }

  private static Map<String, Integer> lengths(String sql) {
    Map<String, Integer> lengths = new HashMap<>();
    Matcher column = LENGTH.matcher(sql);
    while (column.find()) {
      lengths.put(column.group(1), Integer.parseInt(column.group(2)));
    }
    return lengths;
  }
}
