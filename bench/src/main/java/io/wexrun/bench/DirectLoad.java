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
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.stream.Stream;

/**
 * Gate lines from one file into one table: a Wexrun pipeline without a queue, against the embedded
 * database's own single SQL statement. Both run in processes of their own with the same heap, in
 * turns, and must end with the same rows.
 */
final class DirectLoad {
  private static final String WORKSPACE =
      """
      workspace: bench
      stores:
        warehouse: {duckdb: warehouse.db}
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
      """;
  private static final String PIPELINE =
      """
      pipeline: load
      intake: {files: %s, longest: 1MB}
      shape:
        - template: '{time:timestamp} {gate}/{stop} {level} {event} card={card} result={result} ms={ms:int} "{note}"'
      route:
        - to: gates
      """;

  private final Path folder;
  private final Path lines;

  private DirectLoad(Path folder) {
    this.folder = folder;
    this.lines = folder.resolve("gates.log");
  }

  /** Arguments: lines (default 5000000), rounds (default 3), folder (default a temporary one). */
  public static void main(String[] args) throws Exception {
    long count = args.length > 0 ? Long.parseLong(args[0]) : 5_000_000;
    int rounds = args.length > 1 ? Integer.parseInt(args[1]) : 3;
    Path folder = args.length > 2 ? Path.of(args[2]) : Files.createTempDirectory("wexrun-bench");
    DirectLoad bench = new DirectLoad(Files.createDirectories(folder).toAbsolutePath());
    bench.feed(count);
    bench.compare(count, rounds);
  }

  private void feed(long count) throws IOException {
    GateLines generator = new GateLines(1, 0.015);
    try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(lines), 1 << 20)) {
      for (long i = 0; i < count; i++) {
        generator.writeNext(out);
      }
    }
    System.out.printf("%,d lines, %,d MB%n", count, Files.size(lines) >> 20);
  }

  private void compare(long count, int rounds) throws Exception {
    double[] ours = new double[rounds];
    double[] theirs = new double[rounds];
    for (int round = 0; round < rounds; round++) {
      Path workspace = workspace();
      ours[round] = seconds("io.wexrun.cli.Main", "run", "--once", "-w", workspace.toString());
      Path database = folder.resolve("plain.db");
      Files.deleteIfExists(database);
      theirs[round] = seconds("io.wexrun.bench.PlainSql", lines.toString(), database.toString());
      System.out.printf(
          "round %d: wexrun %.2f s, sql %.2f s%n", round + 1, ours[round], theirs[round]);
      requireSameRows(workspace.resolve("warehouse.db"), database);
    }
    double a = median(ours);
    double b = median(theirs);
    System.out.printf(
        "median: wexrun %.2f s (%,.0f lines/s), sql %.2f s; wexrun is %.2f times as fast%n",
        a, count / a, b, b / a);
  }

  private static double median(double[] values) {
    double[] sorted = values.clone();
    Arrays.sort(sorted);
    int middle = sorted.length / 2;
    return sorted.length % 2 == 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
  }

  private Path workspace() throws IOException {
    Path workspace = folder.resolve("workspace");
    if (Files.exists(workspace)) {
      try (Stream<Path> all = Files.walk(workspace)) {
        for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
          Files.delete(path);
        }
      }
    }
    Files.createDirectories(workspace.resolve("pipelines"));
    Files.writeString(workspace.resolve("wexrun.yaml"), WORKSPACE);
    Files.writeString(workspace.resolve("pipelines/load.yaml"), PIPELINE.formatted(lines));
    return workspace;
  }

  private static double seconds(String... command) throws IOException, InterruptedException {
    List<String> line = new ArrayList<>();
    line.add(Path.of(System.getProperty("java.home"), "bin", "java").toString());
    line.add("--add-opens=java.base/java.nio=ALL-UNNAMED");
    line.add("-Xmx512m");
    line.addAll(List.of("-cp", System.getProperty("java.class.path")));
    line.addAll(List.of(command));
    long start = System.nanoTime();
    Process process = new ProcessBuilder(line).redirectErrorStream(true).start();
    String output = new String(process.getInputStream().readAllBytes());
    if (process.waitFor() != 0) {
      throw new IllegalStateException(String.join(" ", command) + " failed:\n" + output);
    }
    return (System.nanoTime() - start) / 1e9;
  }

  /** Count, sums and extremes of every column, and the sum of all rows' hashes. */
  private static void requireSameRows(Path ours, Path theirs) throws SQLException {
    String mine = digest(ours);
    String other = digest(theirs);
    if (!mine.equals(other)) {
      throw new IllegalStateException("not the same rows: " + mine + " and " + other);
    }
    System.out.println("         same rows: " + mine);
  }

  private static String digest(Path database) throws SQLException {
    try (Connection connection = DriverManager.getConnection("jdbc:duckdb:" + database);
        Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "select count(*) || ' rows, digest ' || sum(hash(gates)) from gates")) {
      row.next();
      return row.getString(1);
    }
  }
}
