package io.wexrun.bench;

import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.DateTimeException;
import java.time.OffsetDateTime;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.duckdb.DuckDBAppender;
import org.duckdb.DuckDBConnection;

/** The straightforward Java that a user would write: lines, a pattern, the database's appender. */
final class PlainJava {
  static final Pattern LINE =
      Pattern.compile(
          "^([^ ]+) ([^/]+)/([^ ]+) ([^ ]+) ([^ ]+) card=([^ ]*) result=([^ ]*) ms=([0-9]+)"
              + " \"((?:[^\"\\\\]|\\\\.)*)\"$");

  private PlainJava() {}

  /** Loads {@code args[0]} into table gates of the database file {@code args[1]}. */
  public static void main(String[] args) throws Exception {
    try (DuckDBConnection connection =
            (DuckDBConnection) DriverManager.getConnection("jdbc:duckdb:" + args[1]);
        Statement statement = connection.createStatement()) {
      statement.execute(
          "create table gates (\"time\" timestamptz, gate varchar, stop varchar, \"level\" varchar,"
              + " event varchar, card varchar, \"result\" varchar, ms integer, note varchar)");
      try (BufferedReader lines =
              new BufferedReader(
                  new InputStreamReader(
                      Files.newInputStream(Path.of(args[0])),
                      StandardCharsets.UTF_8
                          .newDecoder()
                          .onMalformedInput(CodingErrorAction.REPLACE)));
          DuckDBAppender appender = connection.createAppender("gates")) {
        for (String line = lines.readLine(); line != null; line = lines.readLine()) {
          append(line, appender);
        }
      }
    }
  }

  private static void append(String line, DuckDBAppender appender) throws SQLException {
    Matcher matcher = line.indexOf('\uFFFD') < 0 ? LINE.matcher(line) : null;
    if (matcher == null || !matcher.matches()) {
      return;
    }
    try {
      OffsetDateTime time = OffsetDateTime.parse(matcher.group(1));
      int ms = Integer.parseInt(matcher.group(8));
      appender.beginRow();
      appender.append(time);
      for (int group = 2; group <= 7; group++) {
        appender.append(matcher.group(group));
      }
      appender.append(ms);
      appender.append(matcher.group(9).replace("\\\"", "\""));
      appender.endRow();
    } catch (DateTimeException | NumberFormatException e) {
      // A spoiled line: the plain program drops it.
      return;
    }
  }
}
