package io.wexrun.duckdb;

import io.wexrun.core.connect.FileQueries.FileTable;
import io.wexrun.core.connect.FileQueries.TableFile;
import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import io.wexrun.duckdb.encrypted.EncryptedRows;
import io.wexrun.sql.Names;
import java.io.IOException;
import java.nio.file.FileSystemException;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.duckdb.DuckDBAppender;
import org.duckdb.DuckDBConnection;
import tools.jackson.databind.json.JsonMapper;

/**
 * The rows of a table in files as a query: those that DuckDB reads by itself in place, the others
 * (encrypted, or of a format that it does not know) from a copy in memory.
 */
final class FileRows {
  /** Where copies are, out of the way of the tables' names. */
  private static final String COPIES = "wexrun";

  private static final String PARQUET = "parquet";
  private static final String NDJSON = "ndjson";
  private static final String CSV = "csv";
  private static final String GZIP = ".gz";
  private static final String TEXT = "VARCHAR";

  /** How long a line of CSV may be, as one of JSON may be anyway; DuckDB's own limit is 2 MB. */
  private static final int LONGEST = 16 << 20;

  /** So many digits of a number with a point DuckDB keeps when it reads JSON. */
  private static final int DIGITS = 15;

  private static final JsonMapper MAPPER = JsonMapper.builder().build();

  private final DuckDBConnection connection;
  private final FileTable table;
  private final Keys keys;
  private final List<Column> columns;
  private boolean copied;

  FileRows(DuckDBConnection connection, FileTable table, Keys keys) {
    this.connection = connection;
    this.table = table;
    this.keys = keys;
    this.columns = table.columns().columns();
  }

  /** What values are when files were read, and what they are made by. */
  private enum Values {
    /** Of the table's types. */
    TYPED,
    /** Of the table's types, but bytes in base64. */
    JSON,
    /** Texts; bytes in base64. */
    TEXTS,
    /** Texts; bytes in hexadecimal. */
    TEXTS_HEX;

    String type(Type type) {
      return switch (this) {
        case TYPED -> Sql.type(type);
        case JSON -> inJson(type);
        default -> TEXT;
      };
    }

    /** An expression for the value of a column. */
    String value(Column column) {
      String name = Names.name(column.name());
      String type = Sql.type(column.type());
      String read = type(column.type());
      if (read.equals(type)) {
        return name;
      }
      if (column.type() == Type.Scalar.BYTES) {
        return (this == TEXTS_HEX ? "unhex(" : "from_base64(") + name + ")";
      }
      boolean json = read.equals(TEXT) && column.type().nested();
      return name + (json ? "::JSON::" : "::") + type;
    }
  }

  /**
   * How DuckDB reads files, or that their format does.
   *
   * @param function which one of DuckDB's; empty for a copy in memory
   * @param options of the function, behind the list of files
   */
  private record Reading(String function, String options, Values values) {
    String of(List<TableFile> files) {
      return files.stream()
          .map(file -> Names.text(file.path().toString()))
          .collect(Collectors.joining(", ", function + "([", "], " + options + ")"));
    }
  }

  /** Whether rows were copied into memory. */
  boolean copied() {
    return copied;
  }

  /** A query that gives all rows; what it needs beside the files is in the connection then. */
  String select() throws IOException, SQLException {
    Map<Reading, List<TableFile>> readings = new LinkedHashMap<>();
    for (TableFile file : table.files()) {
      Reading reading = told(file, () -> reading(file));
      readings.computeIfAbsent(reading, r -> new ArrayList<>()).add(file);
    }
    List<String> parts = new ArrayList<>();
    parts.add(select(c -> "null::" + Sql.type(c.type()), " where false"));
    for (Map.Entry<Reading, List<TableFile>> each : readings.entrySet()) {
      Reading reading = each.getKey();
      List<TableFile> files = each.getValue();
      String rows = reading.function().isEmpty() ? copied(files, parts.size()) : reading.of(files);
      parts.add(select(rows, reading.values()));
    }
    return String.join(" union all ", parts);
  }

  /** Rows with the table's columns and types; columns that no file has are absent. */
  private String select(String rows, Values values) {
    String all =
        select(c -> "null::" + values.type(c.type()), " where false")
            + " union all by name select * from "
            + rows;
    return select(values::value, " from (" + all + ")");
  }

  private String select(Function<Column, String> value, String from) {
    return columns.stream()
        .map(column -> value.apply(column) + " as " + Names.name(column.name()))
        .collect(Collectors.joining(", ", "select ", from));
  }

  private Reading reading(TableFile file) throws IOException {
    boolean packed = file.name().endsWith(GZIP);
    String name = packed ? cut(file.name(), GZIP) : file.name();
    String compression = ", compression = " + Names.text(packed ? "gzip" : "none");
    String format = file.format().name();
    boolean plain = name.endsWith("." + format);
    if (format.equals(PARQUET)) {
      return EncryptedRows.encrypted(file.path())
          ? new Reading("", "", Values.TEXTS_HEX)
          : new Reading(
              "read_parquet", "union_by_name = true, hive_partitioning = false", Values.TYPED);
    }
    if (format.equals(NDJSON) && plain && columns.stream().noneMatch(c -> losesDigits(c.type()))) {
      return new Reading(
          "read_json",
          // A sample of each file would be kept, with 32 MB of memory.
          "format = 'newline_delimited', maximum_sample_files = 1, hive_partitioning = false,"
              + " columns = "
              + members(columns, c -> c.name(), c -> inJson(c.type()))
              + compression,
          Values.JSON);
    }
    if (format.equals(CSV) && plain) {
      List<String> header = file.format().read(file.path(), 1, keys).columns();
      return new Reading(
          "read_csv",
          "auto_detect = false, header = true, delim = ',', quote = '\"', escape = '\"',"
              + " new_line = '\\n', nullstr = '', allow_quoted_nulls = false,"
              + " hive_partitioning = false, max_line_size = "
              + LONGEST
              + ", buffer_size = "
              + 2 * LONGEST
              + ", columns = "
              + members(header, c -> c, c -> TEXT)
              + compression,
          Values.TEXTS);
    }
    return new Reading("", "", Values.TEXTS);
  }

  /** Something read of a file. */
  private interface Read<T> {
    T done() throws IOException;
  }

  private static <T> T told(TableFile file, Read<T> read) throws IOException {
    try {
      return read.done();
    } catch (IOException e) {
      throw e instanceof FileSystemException
          ? e
          : new IOException(file.path() + ": " + Failure.told(e), e);
    }
  }

  private static String cut(String name, String ending) {
    return name.substring(0, name.length() - ending.length());
  }

  private static <T> String members(
      List<T> all, Function<T, String> name, Function<T, String> type) {
    return all.stream()
        .map(each -> Names.text(name.apply(each)) + ": " + Names.text(type.apply(each)))
        .collect(Collectors.joining(", ", "{", "}"));
  }

  /** Whether a number has more digits than DuckDB keeps of one in JSON. */
  private static boolean losesDigits(Type type) {
    if (type instanceof Type.ListOf list) {
      return losesDigits(list.element());
    }
    if (type instanceof Type.Struct struct) {
      return struct.fields().stream().anyMatch(field -> losesDigits(field.type()));
    }
    return type instanceof Type.Decimal decimal && decimal.precision() > DIGITS;
  }

  /** What DuckDB reads a JSON value as; bytes are texts there. */
  private static String inJson(Type type) {
    if (type instanceof Type.ListOf list) {
      return inJson(list.element()) + "[]";
    }
    if (type instanceof Type.Struct struct) {
      return struct.fields().stream()
          .map(field -> Names.name(field.name()) + " " + inJson(field.type()))
          .collect(Collectors.joining(", ", "STRUCT(", ")"));
    }
    return type == Type.Scalar.BYTES ? TEXT : Sql.type(type);
  }

  /** Copies files into memory, all values as texts; the name of the copy. */
  private String copied(List<TableFile> files, int number) throws IOException, SQLException {
    copied = true;
    String copy = table.name() + " " + number;
    String name = Names.name(COPIES) + "." + Names.name(copy);
    try (Statement statement = connection.createStatement()) {
      statement.execute("create schema if not exists " + Names.name(COPIES));
      statement.execute(
          columns.stream()
              .map(column -> Names.name(column.name()) + " " + TEXT)
              .collect(Collectors.joining(", ", "create table " + name + " (", ")")));
    }
    try (DuckDBAppender appender = connection.createAppender(COPIES, copy)) {
      for (TableFile file : files) {
        append(file, appender);
      }
    }
    return name;
  }

  private void append(TableFile file, DuckDBAppender appender) throws IOException, SQLException {
    Answer rows = told(file, () -> file.format().read(file.path(), Integer.MAX_VALUE, keys));
    int[] places =
        columns.stream().mapToInt(column -> rows.columns().indexOf(column.name())).toArray();
    for (List<Object> row : rows.rows()) {
      appender.beginRow();
      for (int c = 0; c < places.length; c++) {
        Object value = places[c] < 0 ? null : row.get(places[c]);
        appender.append(value == null ? null : text(columns.get(c).type(), value, file));
      }
      appender.endRow();
    }
  }

  /** JSON is written again where its format gives it read. */
  private static String text(Type type, Object value, TableFile file) {
    boolean read = value instanceof List || value instanceof Map;
    return read || type == Type.Scalar.JSON && file.format().name().equals(NDJSON)
        ? MAPPER.writeValueAsString(value)
        : value.toString();
  }
}
