package io.wexrun.duckdb;

import io.wexrun.core.diagnose.OutsideException;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.regex.Pattern;

/** Tells statements that only read from others. */
final class OnlyReads {
  private static final Pattern EXPLAIN =
      Pattern.compile("^\\s*explain\\s+(analyze\\s+)?", Pattern.CASE_INSENSITIVE);

  private OnlyReads() {}

  /**
   * DuckDB's own parser decides: it writes down as JSON what only reads, and refuses everything
   * else.
   *
   * @param who was asked
   * @param others what can be done with other statements, behind the sentence about queries
   * @throws OutsideException if it is anything else than one statement that only reads
   */
  static void require(Connection connection, String sql, Object who, String others)
      throws SQLException {
    String asked = EXPLAIN.matcher(sql).replaceFirst("");
    try (PreparedStatement parse =
        connection.prepareStatement(
            "select j->>'error_type', json_array_length(j->'statements')"
                + " from (select json_serialize_sql(?::varchar) as j)")) {
      parse.setString(1, asked);
      try (ResultSet rows = parse.executeQuery()) {
        rows.next();
        boolean refused = "not implemented".equals(rows.getString(1));
        if (refused || rows.getInt(2) > 1) {
          throw OutsideException.lasting(
              who
                  + (refused
                      ? " was asked for something that does not only read"
                      : " was asked several statements at once")
                  + ". A query is one statement that reads"
                  + others);
        }
      }
    }
  }
}
