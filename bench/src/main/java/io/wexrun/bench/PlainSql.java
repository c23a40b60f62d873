package io.wexrun.bench;

import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;

/** The embedded database's own way: one statement that reads, parses, casts and stores. */
final class PlainSql {
  private static final String PATTERN =
      "^([^ ]+) ([^/]+)/([^ ]+) ([^ ]+) ([^ ]+) card=([^ ]*) result=([^ ]*) ms=([0-9]+)"
          + " \"((?:[^\"\\\\]|\\\\.)*)\"\\r?$";

  private PlainSql() {}

  /**
   * Loads {@code args[0]} into table gates of the database file {@code args[1]}, or into that file
   * if it is one of Parquet.
   */
  public static void main(String[] args) throws SQLException {
    if (args[1].endsWith(".parquet")) {
      String query = sql(args[0]).replaceFirst("create table gates as ", "");
      try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
          Statement statement = connection.createStatement()) {
        statement.execute(
            "copy (" + query + ") to '" + args[1] + "' (format parquet, compression zstd)");
      }
      return;
    }
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:" + args[1]);
        Statement statement = connection.createStatement()) {
      statement.execute(sql(args[0]));
    }
  }

  static String sql(String file) {
    return "create table gates as select try_cast(p.\"time\" as timestamptz) as \"time\", p.gate,"
        + " p.stop, p.\"level\", p.event, p.card, p.\"result\", try_cast(p.ms as integer) as ms,"
        + " replace(p.note, '\\\"', '\"') as note from (select regexp_extract(line, '"
        + PATTERN
        + "', ['time', 'gate', 'stop',"
        + " 'level', 'event', 'card', 'result', 'ms', 'note']) as p from read_csv('"
        + file
        + "', columns = {'line': 'VARCHAR'}, header = false, auto_detect = false, delim = '\\x01',"
        + " quote = '', escape = '', strict_mode = false, ignore_errors = true))"
        + " where \"time\" is not null and ms is not null";
  }
}
