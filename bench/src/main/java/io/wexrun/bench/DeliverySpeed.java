package io.wexrun.bench;

import io.wexrun.network.collector.Collector;
import io.wexrun.network.collector.Manners;
import io.wexrun.network.door.Address;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Locale;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Consumer;

/**
 * How fast a run delivers a file's rows over HTTP to the collector, which shares the cores with it:
 * from the first post to the last one.
 */
final class DeliverySpeed {
  private final Path folder;
  private final int rows;
  private final Consumer<String> say;

  DeliverySpeed(Path folder, boolean quick, Consumer<String> say) {
    this.folder = folder;
    this.rows = quick ? 3_000_000 : 10_000_000;
    this.say = say;
  }

  void measure() throws Exception {
    Files.createDirectories(folder);
    Path file = folder.resolve("scans.log");
    try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(file), 1 << 18)) {
      for (int n = 0; n < rows; n++) {
        String line =
            String.format(
                "2026-05-03T04:%02d:%02dZ gate=g%03d card=%016d ms=%d granted=true zone=%d%n",
                n / 60 % 60, n % 60, n % 250, n * 7919L, n % 900, n % 5);
        out.write(line.getBytes(StandardCharsets.US_ASCII));
      }
    }
    for (String how : new String[] {"ndjson", "array", "csv", "ndjson, compress: gzip"}) {
      deliver(how, file);
    }
  }

  private void deliver(String how, Path file) throws Exception {
    Path workspace = Files.createTempDirectory(folder, "run");
    AtomicLong taken = new AtomicLong();
    AtomicLong first = new AtomicLong();
    AtomicLong last = new AtomicLong();
    Consumer<Collector.Taken> counts =
        post -> {
          taken.addAndGet(post.rows().size());
          first.compareAndSet(0, System.nanoTime());
          last.set(System.nanoTime());
        };
    try (Collector collector =
        new Collector(Address.read("0").orElseThrow(), Manners.GOOD, counts)) {
      Files.createDirectories(workspace.resolve("pipelines"));
      Files.writeString(
          workspace.resolve("wexrun.yaml"),
          """
          workspace: office
          stores: {office: {http: 'http://127.0.0.1:%d/{table}', body: %s, batch: {rows: 10000}}}
          tables:
            scans:
              in: office
              columns: {time: timestamp, gate: text, card: text, ms: int, granted: bool, zone: int}
          """
              .formatted(collector.port(), how));
      Files.writeString(
          workspace.resolve("pipelines/scans.yaml"),
          """
          pipeline: scans
          intake: {files: '%s'}
          shape:
            - template: '{time:timestamp} gate={gate} card={card} ms={ms:int} granted={granted:bool} zone={zone:int}'
          route:
            - to: scans
          """
              .formatted(file.toAbsolutePath()));
      Process run =
          new ProcessBuilder(System.getProperty("wexrun.launcher"), "run", "--once")
              .directory(workspace.toFile())
              .redirectErrorStream(true)
              .redirectOutput(workspace.resolve("run.txt").toFile())
              .start();
      if (!run.waitFor(10, TimeUnit.MINUTES) || run.exitValue() != 0 || taken.get() != rows) {
        throw new IOException(
            "delivered " + taken + " rows: " + Files.readString(workspace.resolve("run.txt")));
      }
    }
    double seconds = (last.get() - first.get()) / 1e9;
    say.accept(
        String.format(
            Locale.ROOT, "%-60s %,15.1f", "delivered as " + how + ": rows/s", rows / seconds));
  }
}
