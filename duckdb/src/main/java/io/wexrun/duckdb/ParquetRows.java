package io.wexrun.duckdb;

import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.schema.Schema;
import io.wexrun.sql.LiveColumns;
import io.wexrun.sql.Names;
import java.io.IOException;
import java.nio.file.Path;
import java.sql.Blob;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;

/**
 * Rows of Parquet files, read by DuckDB without a database, in the order in which they stand. Times
 * without a zone are in UTC; numbers and others that no column of ours holds are texts.
 */
public final class ParquetRows implements RowsReader {
  private static final String VIEW = "rows_of_file";

  @Override
  public String format() {
    return "parquet";
  }

  @Override
  public Schema columns(Path file) throws IOException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:")) {
      execute(connection, "create view " + VIEW + " as " + select(connection, file));
      return LiveColumns.of(new DuckDbDialect(), connection, VIEW).orElseThrow();
    } catch (SQLException | OutsideException e) {
      throw failed(e);
    }
  }

  private static IOException failed(Exception e) {
    String why = String.valueOf(e.getMessage()).lines().findFirst().orElse("").strip();
    return new IOException(why.replaceFirst("^[\\w ]*Error: ", ""), e);
  }

  private static void execute(Connection connection, String sql) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** A query of all columns, as types that columns of ours can have. */
  private static String select(Connection connection, Path file) throws SQLException {
    String from = " from read_parquet(" + Names.text(file.toString()) + ")";
    List<String> columns = new ArrayList<>();
    try (Statement statement = connection.createStatement();
        ResultSet found = statement.executeQuery("describe select *" + from)) {
      while (found.next()) {
        String name = Names.name(found.getString(1));
        columns.add(cast(name, found.getString(2).toUpperCase(Locale.ROOT)) + " as " + name);
      }
    }
    return "select " + String.join(", ", columns) + from;
  }

  private static String cast(String name, String type) {
    if (type.endsWith("]") || type.startsWith("STRUCT") || type.startsWith("DECIMAL")) {
      return type.matches("DECIMAL\\((19|[23]\\d),.*") ? name + "::varchar" : name;
    }
    return switch (type) {
      case "TINYINT", "SMALLINT", "UTINYINT", "USMALLINT" -> name + "::integer";
      case "UINTEGER" -> name + "::bigint";
      case "FLOAT" -> name + "::double";
      case "TIMESTAMP", "TIMESTAMP_S", "TIMESTAMP_MS", "TIMESTAMP_NS" ->
          "timezone('UTC', " + name + "::timestamp)";
      case "BOOLEAN",
          "INTEGER",
          "BIGINT",
          "DOUBLE",
          "VARCHAR",
          "BLOB",
          "DATE",
          "UUID",
          "JSON",
          "TIMESTAMP WITH TIME ZONE" ->
          name;
      default -> name + "::varchar";
    };
  }

  @Override
  public Rows open(Path file, long from) throws IOException {
    Connection connection = null;
    try {
      connection = DriverManager.getConnection("jdbc:duckdb:");
      execute(connection, "set jdbc_stream_results = true");
      Statement statement = connection.createStatement();
      ResultSet found = statement.executeQuery(select(connection, file) + " offset " + from);
      return new Open(connection, found);
    } catch (SQLException e) {
      if (connection != null) {
        close(connection);
      }
      throw failed(e);
    }
  }

  private static void close(Connection connection) throws IOException {
    try {
      connection.close();
    } catch (SQLException e) {
      throw failed(e);
    }
  }

  private record Open(Connection connection, ResultSet found) implements Rows {
    @Override
    public Optional<Map<String, Object>> next() throws IOException {
      try {
        if (!found.next()) {
          return Optional.empty();
        }
        Map<String, Object> row = new LinkedHashMap<>();
        for (int i = 1; i <= found.getMetaData().getColumnCount(); i++) {
          row.put(found.getMetaData().getColumnName(i), value(found.getObject(i)));
        }
        return Optional.of(row);
      } catch (SQLException e) {
        throw failed(e);
      }
    }

    private static Object value(Object value) throws SQLException {
      if (value instanceof Blob blob) {
        return blob.getBytes(1, (int) blob.length());
      }
      return value instanceof OffsetDateTime time ? time.toInstant() : PlainValues.plain(value);
    }

    @Override
    public void close() throws IOException {
      ParquetRows.close(connection);
    }
  }
}
