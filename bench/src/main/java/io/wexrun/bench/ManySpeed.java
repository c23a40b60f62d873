package io.wexrun.bench;

import java.io.BufferedWriter;
import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;

/**
 * How fast pipelines load in one process when others beside them fail over and over, as a ratio to
 * how fast they are alone; measured in turns.
 */
final class ManySpeed {
  private static final int WELL = 8;
  private static final int FAILING = 40;

  private final Path folder;
  private final int lines;
  private final int rounds;
  private final Consumer<String> say;
  private final HttpClient client = HttpClient.newHttpClient();

  ManySpeed(Path folder, boolean quick, int rounds, Consumer<String> say) {
    this.folder = folder;
    this.lines = quick ? 500_000 : 2_000_000;
    this.rounds = rounds;
    this.say = say;
  }

  void measure() throws Exception {
    Files.createDirectories(folder);
    Path file = folder.resolve("lines.log");
    try (BufferedWriter out = Files.newBufferedWriter(file)) {
      for (int n = 0; n < lines; n++) {
        out.write("2026-05-03T04:00:00Z gate=g" + n % 250 + " ms=" + n % 900 + "\n");
      }
    }
    List<Double> ratios = new ArrayList<>();
    double alone = 0;
    for (int round = 0; round < rounds; round++) {
      alone = rate(file, 0);
      ratios.add(rate(file, FAILING) / alone);
    }
    ratios.sort(null);
    say.accept(
        String.format(
            Locale.ROOT, "%-60s %,15.1f", WELL + " pipelines in one process: rows/s", alone));
    say.accept(
        String.format(
            Locale.ROOT,
            "%-60s %15.2f",
            "the same beside " + FAILING + " that fail over and over: times as fast",
            ratios.get(ratios.size() / 2)));
  }

  /** Rows a second, from the start of the process until all are loaded. */
  private double rate(Path file, int failing) throws Exception {
    Path workspace = Files.createTempDirectory(folder, "run");
    write(workspace, file, failing);
    int port;
    try (ServerSocket free = new ServerSocket(0)) {
      port = free.getLocalPort();
    }
    long begun = System.nanoTime();
    Process run =
        new ProcessBuilder(System.getProperty("wexrun.launcher"), "run", "--figures", port + "")
            .directory(workspace.toFile())
            .redirectErrorStream(true)
            .redirectOutput(workspace.resolve("run.txt").toFile())
            .start();
    try {
      long until = begun + TimeUnit.MINUTES.toNanos(10);
      while (loaded(port) < (long) WELL * lines) {
        if (System.nanoTime() > until || !run.isAlive()) {
          throw new IOException(Files.readString(workspace.resolve("run.txt")));
        }
        Thread.sleep(50);
      }
      return (double) WELL * lines / ((System.nanoTime() - begun) / 1e9);
    } finally {
      run.destroy();
      run.waitFor(1, TimeUnit.MINUTES);
    }
  }

  private long loaded(int port) throws InterruptedException {
    HttpRequest request =
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/metrics")).build();
    try {
      return client
          .send(request, HttpResponse.BodyHandlers.ofString())
          .body()
          .lines()
          .filter(line -> line.startsWith("wexrun_loaded_rows_total"))
          .mapToLong(line -> (long) Double.parseDouble(line.substring(line.indexOf(' ') + 1)))
          .sum();
    } catch (IOException e) {
      return 0; // It does not listen yet.
    }
  }

  private static void write(Path workspace, Path file, int failing) throws IOException {
    StringBuilder tables = new StringBuilder();
    List<String> pipelines = new ArrayList<>();
    for (int i = 0; i < WELL + failing; i++) {
      boolean well = i < WELL;
      tables.append(
          "  t%d: {in: %s, columns: {at: timestamp, gate: text, ms: int}}%n"
              .formatted(i, well ? "near" : "away"));
      pipelines.add(
          """
          pipeline: p%d
          intake: {files: '%s'}
          shape: [{template: '{at:timestamp} gate={gate} ms={ms:int}'}]
          route: [{to: t%d}]
          """
              .formatted(i, file.toAbsolutePath(), i));
    }
    Files.createDirectories(workspace.resolve("pipelines"));
    Files.writeString(
        workspace.resolve("wexrun.yaml"),
        """
        workspace: many
        stores: {near: {duckdb: near.db}, away: {duckdb: away/away.db}}
        tables:
        """
            + tables);
    Files.writeString(workspace.resolve("pipelines/all.yaml"), String.join("---\n", pipelines));
  }
}
