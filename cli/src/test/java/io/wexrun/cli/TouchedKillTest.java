package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/**
 * A run is killed over and over, while a program writes and rotates its log, and people edit what
 * is looked up, put back the store, and try to delete the queue. Every line ends once in each
 * table.
 */
class TouchedKillTest {
  private static final int KILLS = Seeds.times() == 1 ? 8 : 65;
  private static final int CHUNK = 4_000;

  private static final String WORKSPACE =
      """
      workspace: touched
      stores: {w: {duckdb: w.db}}
      queues: {lines: {partitions: 2}}
      tables:
        direct: {in: w, columns: {n: int, note: text}}
        queued: {in: w, columns: {n: int}}
      """;

  private static final String PIPELINES =
      """
      pipeline: direct
      intake: {files: 'logs/app.log*'}
      shape:
        - template: '{n:int} {gate} {}'
        - lookup: {file: notes.csv, equal: {gate: gate}, add: {note: text}}
      route: [to: direct]
      flush: {rows: 900}
      ---
      pipeline: feed
      intake: {files: 'logs/app.log*'}
      route: [to: lines]
      flush: {rows: 700}
      ---
      pipeline: queued
      intake: {queue: lines}
      shape: [template: '{n:int} {}']
      route: [to: queued]
      flush: {rows: 1100}
      """;

  @TempDir private Path folder;
  private final List<String> acts = new ArrayList<>();
  private SplittableRandom dice;
  private Wexrun here;
  private int written;
  private int rotations;
  private boolean backedUp;

  @Test
  void whateverIsTouchedBetweenKillsEachLineIsLoadedOnce() throws Exception {
    long seed = Long.getLong("wexrun.seed", System.nanoTime());
    dice = new SplittableRandom(seed);
    here = Wexrun.in(folder);
    Files.createDirectories(folder.resolve("pipelines"));
    Files.createDirectories(folder.resolve("logs"));
    Files.writeString(folder.resolve("wexrun.yaml"), WORKSPACE);
    Files.writeString(folder.resolve("pipelines/all.yaml"), PIPELINES);
    notes();
    write();
    for (int kills = 0; kills < KILLS; kills++) {
      Process run = here.start("run");
      long end = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(700 + dice.nextInt(900));
      while (System.nanoTime() < end) {
        beside();
        if (run.waitFor(20 + dice.nextInt(80), TimeUnit.MILLISECONDS)) {
          throw new AssertionError("seed " + seed + " " + acts + ": " + here.read("err.txt"));
        }
      }
      acts.add("kill");
      run.destroyForcibly().waitFor();
      between();
    }
    Result last = here.run("run", "--once");
    assertThat(last.exit()).as("seed %d %s: %s", seed, acts, last.err()).isZero();
    String all = "[" + written + "," + written + "," + written + "]";
    assertThat(count("direct")).as("seed %d %s", seed, acts).isEqualTo(all);
    assertThat(count("queued")).as("seed %d %s", seed, acts).isEqualTo(all);
    Result tally = here.run("tally");
    assertThat(tally.exit()).as("seed %d %s: %s", seed, acts, tally.out()).isZero();
  }

  private String count(String table) {
    String sql = "select count(*) a, count(distinct n) b, max(n) c from " + table;
    JsonNode row = here.run("sql", "--json", sql).json().get("rows").get(0);
    return "["
        + row.get("a").asInt()
        + ","
        + row.get("b").asInt()
        + ","
        + row.get("c").asInt()
        + "]";
  }

  private void write() throws IOException {
    StringBuilder text = new StringBuilder();
    for (int left = CHUNK; left > 0; left--) {
      text.append(++written).append(" gate-").append(written % 3).append(" passed\n");
    }
    Files.writeString(
        folder.resolve("logs/app.log"), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private void notes() throws IOException {
    Path edited = folder.resolve("notes.new");
    Files.writeString(edited, "gate,note\ngate-1," + dice.nextInt(1000) + "\n");
    Files.move(edited, folder.resolve("notes.csv"), StandardCopyOption.REPLACE_EXISTING);
  }

  /** What happens while the pipelines run. */
  private void beside() throws IOException {
    switch (dice.nextInt(8)) {
      case 0, 1, 2 -> write();
      case 3 -> rotate();
      case 4 -> {
        acts.add("edit");
        notes();
      }
      default -> acts.add("wait");
    }
  }

  private void rotate() throws IOException {
    Path log = folder.resolve("logs/app.log");
    if (!Files.exists(log)) {
      return;
    }
    Path old = folder.resolve("logs/app.log." + ++rotations);
    if (dice.nextBoolean()) {
      acts.add("rename to " + rotations);
      Files.move(log, old);
    } else {
      acts.add("copy to " + rotations + " and cut");
      Files.copy(log, old);
      Files.writeString(log, "");
    }
  }

  /** What people do while nothing runs. */
  private void between() throws IOException {
    switch (dice.nextInt(5)) {
      case 0 -> {
        acts.add("back up");
        assertThat(here.run("run", "--once").exit()).isZero();
        Files.copy(store(), folder.resolve("w.bak"), StandardCopyOption.REPLACE_EXISTING);
        backedUp = true;
      }
      case 1 -> putBack();
      case 2 -> {
        acts.add("delete queue");
        int exit = here.run("queue", "delete", "lines", "--yes").exit();
        acts.add(exit == 0 ? "deleted" : "refused");
      }
      case 3 -> rotate();
      default -> acts.add("nothing");
    }
  }

  private Path store() {
    return folder.resolve("w.db");
  }

  private void putBack() throws IOException {
    if (!backedUp) {
      return;
    }
    acts.add("put back");
    try (Stream<Path> files = Files.list(folder)) {
      for (Path file : files.filter(f -> f.getFileName().toString().startsWith("w.db")).toList()) {
        Files.delete(file);
      }
    }
    Files.copy(folder.resolve("w.bak"), store());
    Result again = here.run("reconcile", "--again", "--yes");
    assertThat(again.exit()).as("%s: %s", acts, again.err()).isZero();
    acts.add(again.err());
  }
}
