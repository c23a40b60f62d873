package io.wexrun.bench;

import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdInputStream;
import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.run.RunOptions;
import io.wexrun.files.FilesConnector;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.io.BufferedInputStream;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.function.Consumer;
import java.util.zip.GZIPOutputStream;
import org.apache.commons.compress.compressors.gzip.GzipCompressorInputStream;

/**
 * Followed files: very many of them, a busy one, how soon a row can be asked for, and how fast
 * compressed ones are beside the decoder alone.
 */
final class FileSpeed {
  private static final int MANY = 10_000;
  private static final int GROWING = 100;
  private static final long LINES_A_SECOND = 200_000;

  private final Path folder;
  private final boolean quick;
  private final Consumer<String> say;

  FileSpeed(Path folder, boolean quick, Consumer<String> say) {
    this.folder = folder;
    this.quick = quick;
    this.say = say;
  }

  void measure() throws Exception {
    Files.createDirectories(folder);
    packed();
    many();
    for (String age : List.of("100ms", "1s", "5s")) {
      busy(age);
    }
  }

  private void tell(String what, double figure) {
    say.accept(String.format(Locale.ROOT, "%-60s %,15.1f", what, figure));
  }

  private static long cpu() {
    return ProcessHandle.current().info().totalCpuDuration().orElse(Duration.ZERO).toNanos();
  }

  /** What the thread of an intake does with a compressed file, beside only unpacking it. */
  private void packed() throws IOException {
    Path plain = folder.resolve("packed.log");
    SplittableRandom dice = new SplittableRandom(1);
    try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(plain))) {
      for (int i = 0; i < (quick ? 1_000_000 : 3_000_000); i++) {
        String line =
            "2026-11-25T08:00:00.092+01:00 gate-%02d/University INFO scan card=%08X result=ok ms=%d\n"
                .formatted(dice.nextInt(40), dice.nextInt(), dice.nextInt(900));
        out.write(line.getBytes(StandardCharsets.UTF_8));
      }
    }
    Path gzip = folder.resolve("packed.gz");
    try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(gzip), 1 << 16)) {
      Files.copy(plain, out);
    }
    Path zstd = folder.resolve("packed.zst");
    Files.write(zstd, Zstd.compress(Files.readAllBytes(plain)));
    double size = Files.size(plain) / 1e6;
    for (int round = 1; round <= 4; round++) {
      tell("gzip, unpacked alone, MB/s", size / unpacked(gzip));
      tell("gzip, taken by the intake, MB/s", size / taken(gzip));
      tell("zstd, unpacked alone, MB/s", size / unpacked(zstd));
      tell("zstd, taken by the intake, MB/s", size / taken(zstd));
    }
  }

  private static double unpacked(Path path) throws IOException {
    long begun = System.nanoTime();
    byte[] buffer = new byte[1 << 20];
    try (InputStream file = new BufferedInputStream(Files.newInputStream(path), 1 << 16);
        InputStream in =
            path.toString().endsWith(".gz")
                ? GzipCompressorInputStream.builder().setInputStream(file).get()
                : new ZstdInputStream(file)) {
      while (in.read(buffer) >= 0) {
        // Only unpacked.
      }
    }
    return (System.nanoTime() - begun) / 1e9;
  }

  private double taken(Path path) {
    long begun = System.nanoTime();
    Settings settings = Settings.of("files", path.toString());
    IntakeOpening opening = IntakeOpening.fresh(settings, new FolderSite(folder));
    try (Intake intake = new FilesConnector().open(opening)) {
      Assigner assigner = new Assigner(intake, Map.of());
      Optional<Block> block = assigner.next(Duration.ZERO);
      while (block.isPresent()) {
        block = assigner.next(Duration.ZERO);
      }
    }
    return (System.nanoTime() - begun) / 1e9;
  }

  private Workspace workspace(String name, String age) throws IOException {
    Path place = folder.resolve(name);
    Files.createDirectories(place.resolve("pipelines"));
    Files.createDirectories(place.resolve("in"));
    Files.writeString(
        place.resolve("wexrun.yaml"),
        """
        workspace: %s
        stores: {lake: {duckdb: lake.db}}
        tables:
          lines: {in: lake, columns: {id: long, written: timestamp, taken: timestamp}}
        """
            .formatted(name));
    Files.writeString(
        place.resolve("pipelines/x.yaml"),
        """
        pipeline: x
        intake: {files: 'in/**/*.log'}
        shape:
          - template: '{id:long} {written:timestamp ''epoch us''} {}'
          - origin: {taken: taken}
        route:
          - to: lines
        flush: {rows: 1000000, age: %s}
        """
            .formatted(age));
    return Workspace.open(place);
  }

  private static String line(long id) {
    return id + " " + System.currentTimeMillis() * 1000 + " gate-07/University INFO scan ok\n";
  }

  private static double answer(Workspace workspace, String sql) {
    return Double.parseDouble(String.valueOf(workspace.query("lake", sql).rows().get(0).get(0)));
  }

  /**
   * Ten thousand files, of which a hundred grow: how soon new lines are noticed, and what it costs.
   */
  private void many() throws Exception {
    Path in = folder.resolve("many/in");
    try (Workspace workspace = workspace("many", "1s")) {
      List<Path> files = new ArrayList<>();
      for (int i = 0; i < MANY; i++) {
        Path file = in.resolve("d" + i % 100 + "/f" + i + ".log");
        Files.createDirectories(file.getParent());
        Files.writeString(file, line(i));
        files.add(file);
      }
      long begun = System.nanoTime();
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(false))) {
        while (run.progress().get("x").taken() < MANY) {
          Thread.sleep(5);
        }
        tell("many: 10,000 files found and taken, s", (System.nanoTime() - begun) / 1e9);
        Thread.sleep(20_000);
        long before = cpu();
        Thread.sleep(30_000);
        tell("many: of a core when nothing happens, %", (cpu() - before) / 30e9 * 100);
        SplittableRandom dice = new SplittableRandom(1);
        before = cpu();
        long id = MANY;
        for (int i = 0; i < 1000; i++) {
          Path file = files.get(dice.nextInt(GROWING) * (MANY / GROWING));
          Files.writeString(file, line(id++), StandardOpenOption.APPEND);
          Thread.sleep(20);
        }
        tell("many: of a core with 50 lines a second, %", (cpu() - before) / 20e9 * 100);
        Thread.sleep(3000);
        Runtime.getRuntime().gc();
        Runtime memory = Runtime.getRuntime();
        tell("many: heap in use, MB", (memory.totalMemory() - memory.freeMemory()) / 1e6);
      }
      tell("many: rows", answer(workspace, "select count(*) from lines"));
      String late =
          "select quantile_cont(epoch_us(taken) - epoch_us(written), %s) / 1000 from lines where id"
              + " >= 10000";
      tell("many: from write to taken, ms, p50", answer(workspace, late.formatted("0.5")));
      tell("many: from write to taken, ms, p99", answer(workspace, late.formatted("0.99")));
    }
  }

  /** One file at a fixed rate: whether it is kept up with, and when rows can be asked for. */
  private void busy(String age) throws Exception {
    String name = "busy-" + age;
    Path file = folder.resolve(name + "/in/a.log");
    int seconds = quick ? 10 : 30;
    ConcurrentSkipListMap<Long, Long> written = new ConcurrentSkipListMap<>();
    List<Double> late = new ArrayList<>();
    try (Workspace workspace = workspace(name, age)) {
      Files.createDirectories(file.getParent());
      Files.writeString(file, line(0));
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(false))) {
        while (run.progress().get("x").loaded() == 0) {
          Thread.sleep(20); // The first flush makes the table.
        }
        Thread writer = new Thread(() -> write(file, seconds, written), "bench-writer");
        writer.start();
        long begun = System.nanoTime();
        long all = LINES_A_SECOND * seconds;
        long seen = 0;
        long done = 0;
        while (seen < all) {
          long now = System.nanoTime();
          seen = (long) answer(workspace, "select coalesce(max(id), 0) from lines");
          for (long at : written.headMap(seen, true).values()) {
            if (at - begun > 3e9) { // The start is not what is measured.
              late.add((now - at) / 1e6);
            }
          }
          written.headMap(seen, true).clear();
          done = done == 0 && !writer.isAlive() ? System.nanoTime() : done;
          Thread.sleep(20);
        }
        tell(name + ": behind when the writer ended, s", (System.nanoTime() - done) / 1e9);
      }
      late.sort(null);
      tell(name + ": from write to row, ms, p50", late.get(late.size() / 2));
      tell(name + ": from write to row, ms, p99", late.get(late.size() * 99 / 100));
      tell(name + ": rows", answer(workspace, "select count(*) from lines"));
    }
  }

  private static void write(Path file, int seconds, Map<Long, Long> written) {
    int parts = 100;
    long begun = System.nanoTime();
    try (OutputStream out = Files.newOutputStream(file, StandardOpenOption.APPEND)) {
      long id = 0;
      for (int part = 1; part <= seconds * parts; part++) {
        StringBuilder lines = new StringBuilder();
        for (int i = 0; i < LINES_A_SECOND / parts; i++) {
          lines.append(line(++id));
        }
        out.write(lines.toString().getBytes(StandardCharsets.UTF_8));
        written.put(id, System.nanoTime());
        long due = begun + part * 1_000_000_000L / parts;
        Thread.sleep(Math.max(0, (due - System.nanoTime()) / 1_000_000));
      }
    } catch (IOException | InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }
}
