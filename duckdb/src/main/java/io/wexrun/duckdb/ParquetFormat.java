package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.connect.FileForm;
import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import io.wexrun.duckdb.encrypted.EncryptedParquet;
import io.wexrun.duckdb.encrypted.EncryptedRows;
import io.wexrun.sql.Answers;
import io.wexrun.sql.Names;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.Properties;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.apache.arrow.c.ArrowArrayStream;
import org.apache.arrow.c.Data;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.memory.RootAllocator;
import org.duckdb.DuckDBConnection;

/** Apache Parquet, written by a DuckDB that holds nothing. Lists and structs stay what they are. */
public final class ParquetFormat implements FileFormat {
  private static final String ENDING = ".parquet";
  private static final String STREAM = "wexrun_rows";

  private static final Pattern INSIDE =
      Pattern.compile("\"exception_message\":\"((?:[^\"\\\\]|\\\\.)*)\"");

  /** What DuckDB may use while it writes. */
  private static final String MEMORY = "512MB";

  private static DuckDBConnection database;

  @Override
  public String name() {
    return "parquet";
  }

  @Override
  public List<String> compressions() {
    return List.of("zstd", "snappy", "gzip", "none");
  }

  @Override
  public String ending(FileForm form) {
    return ENDING;
  }

  @Override
  public boolean owns(String name) {
    return name.endsWith(ENDING);
  }

  @Override
  public boolean sorts() {
    return true;
  }

  private static synchronized DuckDBConnection connect() throws SQLException {
    DuckDbConnector.requireOption();
    if (database == null) {
      database = open(Map.of());
    }
    return database.duplicate();
  }

  static DuckDBConnection open(Map<String, String> more) throws SQLException {
    Properties settings = new Properties();
    settings.setProperty("memory_limit", MEMORY);
    settings.setProperty("autoinstall_known_extensions", "false");
    settings.setProperty("autoload_known_extensions", "false");
    settings.putAll(more);
    return (DuckDBConnection) DriverManager.getConnection("jdbc:duckdb:", settings);
  }

  @Override
  public void write(Path file, Table table, List<Rows> parts, FileForm form) throws IOException {
    if (form.key().isPresent()) {
      EncryptedParquet.write(parts, table.details().sort(), writing(file, table, form));
      return;
    }
    try (DuckDBConnection connection = connect();
        BufferAllocator allocator = new RootAllocator();
        ArrowRows reader = new ArrowRows(allocator, table.schema(), parts);
        ArrowArrayStream stream = ArrowArrayStream.allocateNew(allocator);
        Statement statement = connection.createStatement()) {
      Data.exportArrayStream(allocator, reader, stream);
      connection.registerArrowStream(STREAM, stream);
      write(statement, Sql.select(table.schema().columns(), STREAM), file, table, form);
    } catch (SQLException e) {
      throw new IOException(told(String.valueOf(e.getMessage())), e);
    }
  }

  /** Writes what a query gives. */
  private static void write(
      Statement statement, String select, Path file, Table table, FileForm form)
      throws SQLException {
    List<String> sort = table.details().sort();
    String sorted = select + (sort.isEmpty() ? "" : " order by " + Names.list(sort));
    String how = form.compression().equals("none") ? "uncompressed" : form.compression();
    statement.execute(
        "copy ("
            + sorted
            + ") to "
            + Names.text(file.toString())
            + " (format parquet, compression "
            + Names.text(how)
            + ")");
  }

  /**
   * What does not fit into memory is put beside the file for the time; not if anything is
   * encrypted. Then rows are not sorted either, but keep the order that they have in their files.
   */
  @Override
  public long merge(List<Path> from, Path to, Table table, FileForm form, Keys keys)
      throws IOException {
    boolean encrypted = form.key().isPresent();
    for (Path file : from) {
      encrypted |= EncryptedRows.encrypted(file);
    }
    if (encrypted) {
      return EncryptedParquet.merge(from, writing(to, table, form), keys);
    }
    DuckDbConnector.requireOption();
    Path beside = to.resolveSibling(to.getFileName() + ".tmp");
    try (DuckDBConnection connection = open(Map.of("temp_directory", beside.toString()));
        Statement statement = connection.createStatement()) {
      String columns =
          table.schema().columns().stream()
              .map(c -> "null::" + Sql.type(c.type()) + " as " + Names.name(c.name()))
              .collect(Collectors.joining(", "));
      String files = files(from);
      String rows = "(select " + columns + " where false) union all by name select * from " + files;
      write(statement, "select * from (" + rows + ")", to, table, form);
      long before = count(statement, files);
      long after = count(statement, files(List.of(to)));
      if (before != after) {
        throw new IOException(to + " has " + after + " rows of " + before);
      }
      return after;
    } catch (SQLException e) {
      throw new IOException(told(String.valueOf(e.getMessage())), e);
    } finally {
      Files.deleteIfExists(beside);
    }
  }

  private static EncryptedParquet.Writing writing(Path file, Table table, FileForm form) {
    return new EncryptedParquet.Writing(
        file, table.schema().columns(), form.compression(), form.key());
  }

  private static long count(Statement statement, String files) throws SQLException {
    try (ResultSet count = statement.executeQuery("select count(*) from " + files)) {
      count.next();
      return count.getLong(1);
    }
  }

  private static String files(List<Path> files) {
    return files.stream()
        .map(file -> Names.text(file.toString()))
        .collect(
            Collectors.joining(
                ", ", "read_parquet([", "], union_by_name = true, hive_partitioning = false)"));
  }

  @Override
  public Answer read(Path file, int limit, Keys keys) throws IOException {
    if (EncryptedRows.encrypted(file)) {
      return EncryptedRows.read(file, limit, keys);
    }
    try (DuckDBConnection connection = connect();
        Statement statement = connection.createStatement()) {
      String sql = "select * from " + files(List.of(file)) + " limit " + limit;
      return Answers.to(statement, sql, PlainValues::plain);
    } catch (SQLException e) {
      throw new IOException(told(String.valueOf(e.getMessage())), e);
    }
  }

  /** What DuckDB says, out of the JSON in which it says some of it. */
  static String told(String message) {
    Matcher inside = INSIDE.matcher(message);
    return inside.find()
        ? inside.group(1).replace("\\\"", "\"")
        : message.lines().findFirst().orElse("");
  }
}
