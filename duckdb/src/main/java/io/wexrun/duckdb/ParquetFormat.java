package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.pipeline.Table;
import io.wexrun.sql.Names;
import java.io.IOException;
import java.nio.file.Path;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Properties;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.arrow.c.ArrowArrayStream;
import org.apache.arrow.c.Data;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.memory.RootAllocator;
import org.duckdb.DuckDBConnection;

/** Apache Parquet, written by a DuckDB that holds nothing. Lists and structs stay what they are. */
public final class ParquetFormat implements FileFormat {
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
  public String ending(String compression) {
    return ".parquet";
  }

  @Override
  public boolean sorts() {
    return true;
  }

  private static synchronized DuckDBConnection connect() throws SQLException {
    DuckDbConnector.requireOption();
    if (database == null) {
      Properties settings = new Properties();
      settings.setProperty("memory_limit", MEMORY);
      settings.setProperty("autoinstall_known_extensions", "false");
      settings.setProperty("autoload_known_extensions", "false");
      database = (DuckDBConnection) DriverManager.getConnection("jdbc:duckdb:", settings);
    }
    return database.duplicate();
  }

  @Override
  public void write(Path file, Table table, List<Rows> parts, String compression)
      throws IOException {
    List<String> sort = table.details().sort();
    String how = compression.equals("none") ? "uncompressed" : compression;
    try (DuckDBConnection connection = connect();
        BufferAllocator allocator = new RootAllocator();
        ArrowRows reader = new ArrowRows(allocator, table.schema(), parts);
        ArrowArrayStream stream = ArrowArrayStream.allocateNew(allocator)) {
      Data.exportArrayStream(allocator, reader, stream);
      connection.registerArrowStream(STREAM, stream);
      try (Statement statement = connection.createStatement()) {
        statement.execute(
            "copy ("
                + Sql.select(table.schema().columns(), STREAM)
                + (sort.isEmpty() ? "" : " order by " + Names.list(sort))
                + ") to "
                + Names.text(file.toString())
                + " (format parquet, compression "
                + Names.text(how)
                + ")");
      }
    } catch (SQLException e) {
      throw new IOException(told(String.valueOf(e.getMessage())), e);
    }
  }

  /** What DuckDB says, out of the JSON in which it says some of it. */
  private static String told(String message) {
    Matcher inside = INSIDE.matcher(message);
    return inside.find()
        ? inside.group(1).replace("\\\"", "\"")
        : message.lines().findFirst().orElse("");
  }
}
