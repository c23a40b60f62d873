package io.wexrun.duckdb;

import io.wexrun.core.connect.FileQueries;
import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.sql.Answers;
import io.wexrun.sql.Names;
import java.io.IOException;
import java.nio.file.Path;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.UUID;
import java.util.stream.Collectors;
import org.duckdb.DuckDBConnection;

/**
 * Answers SQL over files by a DuckDB that holds nothing but a view for each table. It reads
 * Parquet, NDJSON and CSV itself; files that are encrypted, or of another format, are read by their
 * format into memory.
 */
public final class DuckDbFileQueries implements FileQueries {
  @Override
  public Answer query(
      Object who, String sql, List<FileTable> tables, Keys keys, QueryBounds bounds) {
    DuckDbConnector.requireOption();
    Path aside = Path.of(System.getProperty("java.io.tmpdir"), "wexrun-" + UUID.randomUUID());
    Map<String, String> settings =
        Map.of("temp_directory", "", "memory_limit", DuckDbConnector.MEMORY + "B");
    try (DuckDBConnection connection = ParquetFormat.open(settings);
        Statement statement = connection.createStatement()) {
      OnlyReads.require(connection, sql, who, "; rows in files are not changed by SQL");
      List<FileTable> asked = asked(sql, tables);
      boolean copied = false;
      for (FileTable table : asked) {
        copied |= view(who, connection, table, keys);
      }
      if (!copied) { // Otherwise nothing is put aside: it may be encrypted where it is.
        statement.execute("set temp_directory = " + Names.text(aside.toString()));
      }
      statement.execute("set allowed_paths = " + paths(asked));
      statement.execute("set enable_external_access = false");
      return Answers.to(
          statement,
          sql,
          PlainValues::plain,
          bounds,
          DuckDbConnector.MEMORY + DuckDbStore.UNTRACKED);
    } catch (SQLException e) {
      throw new OutsideException(
          who
              + " does not take the query: "
              + String.valueOf(e.getMessage()).strip()
              + "\nIts tables: "
              + (tables.isEmpty()
                  ? "none yet"
                  : tables.stream()
                      .map(FileTable::name)
                      .sorted()
                      .collect(Collectors.joining(", "))),
          e);
    }
  }

  /** Tables that a statement does not name are not opened, unless it names none. */
  private static List<FileTable> asked(String sql, List<FileTable> tables) {
    String text = sql.toLowerCase(Locale.ROOT);
    List<FileTable> named =
        tables.stream()
            .filter(table -> text.contains(table.name().toLowerCase(Locale.ROOT)))
            .toList();
    return named.isEmpty() ? tables : named;
  }

  private static String paths(List<FileTable> tables) {
    return tables.stream()
        .flatMap(table -> table.files().stream())
        .map(file -> Names.text(file.path().toString()))
        .collect(Collectors.joining(", ", "[", "]"));
  }

  /** Makes a view of a table; whether its rows were copied into memory. */
  private static boolean view(Object who, DuckDBConnection connection, FileTable table, Keys keys) {
    FileRows rows = new FileRows(connection, table, keys);
    try (Statement statement = connection.createStatement()) {
      String select = rows.select();
      statement.execute("create view " + Names.name(table.name()) + " as " + select);
      return rows.copied();
    } catch (IOException e) {
      throw unread(who, table, Failure.told(e), e);
    } catch (SQLException e) {
      throw unread(who, table, ParquetFormat.told(String.valueOf(e.getMessage())), e);
    }
  }

  private static OutsideException unread(Object who, FileTable table, String why, Exception e) {
    return new OutsideException(
        "cannot read the files of table " + table.name() + " in " + who + ": " + why, e);
  }
}
