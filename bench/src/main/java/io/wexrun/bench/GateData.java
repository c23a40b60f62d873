package io.wexrun.bench;

import io.wexrun.cli.demo.GateLines;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Comparator;
import java.util.stream.Stream;

/** The data and the workspaces of the benchmark, in one folder. */
record GateData(Path folder) {
  private static final String WORKSPACE =
      """
      workspace: bench
      stores:
        warehouse: {duckdb: warehouse.db}
      queues:
        gate-events: {partitions: 4}
      tables:
        gates:
          in: warehouse
          columns:
            time: timestamp required
            gate: text required
            stop: text
            level: text
            event: text
            card: text
            result: text
            ms: int
            note: text
        gate_hours:
          in: warehouse
          group: [hour, gate, stop]
          columns:
            hour: timestamp = truncate(time, "hour", "Europe/Berlin")
            gate: text
            stop: text
            scans: long = count()
            denied: 'long = sum(result == "denied" ? 1 : 0)'
            mean_ms: double = avg(ms)
            longest_ms: int = max(ms)
        gate_cards:
          in: warehouse
          group: [hour, gate]
          columns:
            hour: timestamp = truncate(time, "hour", "Europe/Berlin")
            gate: text
            cards: long = distinct(card)
      """;
  private static final String SHAPE =
      """
      shape:
        - template: '{time:timestamp} {gate}/{stop} {level} {event} card={card} result={result} ms={ms:int} "{note}"'
      """;

  /** More steps, so that shaping is most of the work. */
  private static final String COMPUTED =
      """
        - require: [card, stop]
        - set: {stop: 'stop.replace("-", " ")', slow: 'ms > 500 && result != "ok"'}
      """;

  private static final String TO_TABLE = "route:\n  - to: gates\n";

  /** A file of so many lines, made if it is not there; one seed, 1.5 % spoiled. */
  Path lines(long count) throws IOException {
    Path file = folder.resolve("gates-" + count + ".log");
    if (!Files.exists(file)) {
      GateLines generator = new GateLines(1, 0.015);
      Path unfinished = folder.resolve("unfinished.log");
      try (OutputStream out =
          new BufferedOutputStream(Files.newOutputStream(unfinished), 1 << 20)) {
        for (long i = 0; i < count; i++) {
          generator.writeNext(out);
        }
      }
      Files.move(unfinished, file);
    }
    return file;
  }

  private static String intake(Path lines) {
    return "intake: {files: " + lines + ", longest: 1MB}\n";
  }

  /** A fresh workspace with one pipeline from the file into the table. */
  Path direct(Path lines) throws IOException {
    return workspace("direct", "pipeline: load\n" + intake(lines) + SHAPE + TO_TABLE);
  }

  /** A fresh workspace with one pipeline from the file into the table and a rollup beside it. */
  Path rolledUp(Path lines, String rollup) throws IOException {
    return workspace(
        "rolled",
        "pipeline: load\n" + intake(lines) + SHAPE + "route:\n  - to: [gates, " + rollup + "]\n");
  }

  /** A fresh workspace like the direct one, but the table's rows tell their origin. */
  Path withOrigin(Path lines) throws IOException {
    Path workspace = workspace("origin", "pipeline: load\n" + intake(lines) + SHAPE + TO_TABLE);
    Path file = workspace.resolve("wexrun.yaml");
    Files.writeString(
        file,
        Files.readString(file).replace("gates:\n    in: w", "gates:\n    origin: true\n    in: w"));
    return workspace;
  }

  /** A fresh workspace like the direct one, with a text of its pipeline by which all lines die. */
  Path spoiled(Path lines) throws IOException {
    return workspace(
        "spoiled",
        "pipeline: load\n"
            + intake(lines)
            + SHAPE.replace(" card={card}", " crad={card}")
            + TO_TABLE);
  }

  /** Gives a spoiled workspace the right text. */
  static void mend(Path workspace) throws IOException {
    Path file = workspace.resolve("pipelines/gates.yaml");
    Files.writeString(file, Files.readString(file).replace(" crad={card}", " card={card}"));
  }

  /** A fresh workspace with one pipeline from the file into Parquet files in a folder. */
  Path intoFolder(Path lines) throws IOException {
    Path workspace =
        workspace(
            "folder",
            "pipeline: load\n"
                + intake(lines)
                + SHAPE
                + TO_TABLE
                + "flush: {rows: 1000000, size: 256MB, age: 1m}\n");
    return with(workspace, "{folder: out, format: parquet}");
  }

  /** A fresh workspace with one pipeline from the file into a table of a server. */
  Path intoServer(Path lines, String url) throws IOException {
    Path workspace = workspace("server", "pipeline: load\n" + intake(lines) + SHAPE + TO_TABLE);
    return with(workspace, "{postgres: '" + url + "', user: postgres}");
  }

  private static Path with(Path workspace, String store) throws IOException {
    Path file = workspace.resolve("wexrun.yaml");
    Files.writeString(file, Files.readString(file).replace("{duckdb: warehouse.db}", store));
    return workspace;
  }

  /** A fresh workspace with two pipelines: file to queue, queue to table. */
  Path throughQueue(Path lines) throws IOException {
    return workspace(
        "queued",
        "pipeline: intake\n"
            + intake(lines)
            + "route:\n  - to: gate-events\n    key: 'card=(\\S+)'\n---\n"
            + "pipeline: load\nintake: {queue: gate-events, longest: 1MB}\n"
            + SHAPE
            + TO_TABLE);
  }

  /** A fresh workspace with one pipeline that shapes every line and drops it. */
  Path shapeOnly(Path lines) throws IOException {
    return workspace(
        "shape", "pipeline: load\n" + intake(lines) + SHAPE + COMPUTED + "route:\n  - to: drop\n");
  }

  private Path workspace(String name, String pipelines) throws IOException {
    Path workspace = folder.resolve(name);
    if (Files.exists(workspace)) {
      try (Stream<Path> all = Files.walk(workspace)) {
        for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
          Files.delete(path);
        }
      }
    }
    Files.createDirectories(workspace.resolve("pipelines"));
    Files.writeString(workspace.resolve("wexrun.yaml"), WORKSPACE);
    Files.writeString(workspace.resolve("pipelines/gates.yaml"), pipelines);
    return workspace;
  }

  /** A database file that is not there yet. */
  Path database(String name) throws IOException {
    Path file = folder.resolve(name + ".db");
    Files.deleteIfExists(file);
    Files.deleteIfExists(folder.resolve(name + ".db.wal"));
    return file;
  }

  /** The number of rows of table gates and the sum of their hashes. */
  static String digest(Path database) throws SQLException {
    return digest("jdbc:duckdb:" + database, "gates");
  }

  /** The same of what a table function reads, such as files. */
  static String digestOf(String from) throws SQLException {
    return digest("jdbc:duckdb:", from);
  }

  private static String digest(String url, String from) throws SQLException {
    try (Connection connection = DriverManager.getConnection(url);
        Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "select count(*) || ' rows, digest ' || sum(hash(gates)) from (select * from "
                    + from
                    + ") as gates")) {
      row.next();
      return row.getString(1);
    }
  }

  /** Bytes that a database file needs. */
  static long size(Path database) throws SQLException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:" + database);
        Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery("select used_blocks * block_size from pragma_database_size()")) {
      row.next();
      return row.getLong(1);
    }
  }

  /** Seconds that the database alone takes to write a Parquet file of rows that it has ready. */
  static double rewrite(Path file) throws SQLException, IOException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:");
        Statement statement = connection.createStatement()) {
      statement.execute("create temp table y as select * from read_parquet('" + file + "')");
      Path copy = file.resolveSibling("rewritten.parquet");
      Files.deleteIfExists(copy);
      long start = System.nanoTime();
      statement.execute("copy y to '" + copy + "' (format parquet, compression zstd)");
      return (System.nanoTime() - start) / 1e9;
    }
  }

  /** Seconds that the database alone takes to store rows which it has ready in memory. */
  double insertFloor(Path database) throws SQLException, IOException {
    Path copy = database("floor");
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:" + copy);
        Statement statement = connection.createStatement()) {
      statement.execute("attach '" + database + "' as ready (read_only)");
      statement.execute("create temp table y as select * from ready.gates");
      long start = System.nanoTime();
      statement.execute("create table x as select * from y");
      statement.execute("checkpoint");
      return (System.nanoTime() - start) / 1e9;
    }
  }
}
