package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Tables that are built again, as a person does it beside a run that goes on. */
class RebuildCommandTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void define() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    here = Wexrun.in(folder);
    define("int", "ms");
    Files.writeString(
        folder.resolve("pipelines/all.yaml"),
        """
        pipeline: to-queue
        intake: {files: 'scans*.log'}
        route: [{to: q, key: '^(\\S+)'}]
        ---
        pipeline: scans
        intake: {queue: q}
        shape: [{template: '{n:long} {gate} ms={ms:int}'}]
        route: [{to: scans}]
        flush: {rows: 500, age: 100ms}
        """);
  }

  private void define(String type, String value) throws IOException {
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: rebuild
        stores: {w: {duckdb: w.db}}
        queues: {q: {partitions: 2}}
        tables:
          scans: {in: w, columns: {n: long, gate: text, ms: '%s = %s'}}
        """
            .formatted(type, value));
  }

  private void append(int from, int to) throws IOException {
    StringBuilder lines = new StringBuilder();
    for (int i = from; i < to; i++) {
      lines.append(i + " gate-" + i % 3 + " ms=" + (i % 10 == 9 ? "?" : i % 60) + "\n");
    }
    Files.writeString(
        folder.resolve("scans.log"), lines, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private Result ok(String... args) {
    Result result = here.run(args);
    assertThat(result.exit()).as(String.join(" ", args) + ": " + result.err()).isZero();
    return result;
  }

  private JsonNode books() {
    return ok("tally", "scans", "--json").json().get("pipelines").get(0);
  }

  private String sql(String query) {
    return ok("sql", query).out().lines().skip(1).findFirst().orElse("").strip();
  }

  @Test
  void eachStepSaysWhatIsDoneAndWhatIsNext() throws IOException {
    append(0, 100);
    ok("run", "--once");
    assertThat(ok("rebuild", "--history").err()).contains("nothing was built again yet");
    assertThat(here.run("rebuild", "scans", "--swap").err())
        .contains("no rebuild of pipeline scans is under way: 'wexrun rebuild scans' begins one");
    assertThat(here.run("rebuild", "scans", "--from", "soon").err())
        .contains("'soon' is not a begin: write oldest");
    assertThat(here.run("rebuild", "scans", "--swap", "--discard").exit()).isEqualTo(2);

    define("double", "double(ms) * 2.0");
    Result built = ok("rebuild", "scans");
    assertThat(built.out())
        .contains("rebuild 1 of scans: 100 records taken again")
        .contains("90  loaded into scans_rebuild_1 in w")
        .contains("10  dead letters: bad-value 10 (rebuild/scans-1)");
    assertThat(built.err()).contains("nothing has changed yet for who reads the tables");
    assertThat(ok("rebuild", "scans").err()).contains("rebuild 1 is gone on with");
    assertThat(here.run("rebuild", "scans", "--from", "q/0@5").err()).contains("keeps its begin");
    assertThat(ok("rebuild", "scans", "--compare").out())
        .contains("scans: 90 rows before, 90 after")
        .contains("columns of another type: ms: int, now double")
        .contains("ms: ", "another number of rows");
    assertThat(ok("queue", "read", "rebuild/scans-1").out()).contains("ms=?");
    JsonNode told = ok("rebuild", "scans", "--compare", "--json").json().get("tables").get(0);
    assertThat(told.get("onlyBefore").asInt()).isEqualTo(told.get("onlyAfter").asInt());

    assertThat(ok("rebuild", "scans", "--swap").out())
        .contains("scans in w is the new one; the one of before is scans_until_");
    assertThat(sql("select count(*) from scans where ms = 2 * (n % 60)")).isEqualTo("90");
    assertThat(ok("rebuild", "--history").out()).contains("swapped", "scans_until_");
    assertThat(ok("rebuild", "scans", "--drop-old").err()).contains("scans_until_", "is dropped");
    assertThat(here.run("rebuild", "scans", "--drop-old").err())
        .contains("has no tables of before a swap any more");
    assertThat(ok("history").out()).contains("rebuild 1 of scans", "swap of rebuild 1");
  }

  @Test
  void besideARunThatGoesOnEveryRecordIsOnceInTheEndWhateverIsKilled() throws Exception {
    AtomicInteger written = new AtomicInteger();
    AtomicBoolean over = new AtomicBoolean();
    append(0, 20_000);
    written.set(20_000);
    Process run = here.start("run");
    Thread feed = new Thread(() -> feed(written, over));
    feed.start();
    long seed = System.nanoTime();
    System.out.println("rebuild kill seed " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    try {
      until(() -> books().get("taken").asInt() > 10_000);
      define("double", "double(ms) * 2.0");
      until(() -> here.read("err.txt").contains("the changed files are not taken yet"));
      assertThat(here.read("err.txt")).contains("wexrun rebuild scans");
      int kills = 0;
      for (int life = 0; life < 3; life++) {
        Process rebuild = here.start("rebuild", "scans");
        if (life == 1) {
          Thread.sleep(600 + dice.nextInt(900));
          run.destroyForcibly().waitFor();
          kills++;
          run = here.start("run"); // It cannot load before the swap, and tries again.
        }
        if (!rebuild.waitFor(life == 2 ? 60_000 : 500 + dice.nextInt(900), TimeUnit.MILLISECONDS)) {
          rebuild.destroyForcibly().waitFor();
          kills++;
        }
      }
      ok("rebuild", "scans");
      ok("rebuild", "scans", "--compare");
      boolean swapped = false;
      for (int life = 0; !swapped; life++) {
        Process swap = here.start("rebuild", "scans", "--swap");
        int patience = life < 4 ? 500 + dice.nextInt(1000) : 120_000;
        if (life == 2) {
          Thread.sleep(patience);
          run.destroyForcibly().waitFor();
          run = here.start("run");
          kills++;
        }
        if (!swap.waitFor(patience, TimeUnit.MILLISECONDS)) {
          swap.destroyForcibly().waitFor();
          kills++;
        }
        JsonNode last = ok("rebuild", "scans", "--history", "--json").json().get("rebuilds");
        swapped = last.get(0).get("state").asString().equals("swapped");
      }
      System.out.println(kills + " kills");
      over.set(true);
      feed.join();
      long late = System.nanoTime() + TimeUnit.MINUTES.toNanos(3);
      int all = written.get();
      for (boolean done = false; !done; done = books().get("taken").asInt() == all) {
        if (!run.isAlive()) { // A swap held the pipeline when it started: it is started again.
          assertThat(run.exitValue()).isEqualTo(3);
          run = here.start("run");
        }
        Thread.sleep(500);
        assertThat(System.nanoTime()).as(here.read("err.txt")).isLessThan(late);
      }
      run.destroy();
      assertThat(run.waitFor(60, TimeUnit.SECONDS)).isTrue();
      long dead = all / 10;
      assertThat(sql("select count(*) || ' ' || count(distinct n) from scans"))
          .isEqualTo((all - dead) + " " + (all - dead));
      assertThat(sql("select count(*) from scans where ms <> 2 * (n % 60)")).isEqualTo("0");
      assertThat(books().get("dead").asLong()).isEqualTo(dead);
      assertThat(books().get("balanced").asBoolean()).isTrue();
      assertThat(ok("tally", "scans", "--prove").err()).contains(" 0 differ");
      assertThat(ok("tally", "scans", "--complete").out())
          .contains("complete up to")
          .contains("no source");
    } finally {
      over.set(true);
      run.destroyForcibly().waitFor();
    }
  }

  private void feed(AtomicInteger written, AtomicBoolean over) {
    try {
      while (!over.get()) {
        append(written.get(), written.get() + 50);
        written.addAndGet(50);
        Thread.sleep(20);
      }
    } catch (IOException e) {
      throw new IllegalStateException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private interface Asked {
    boolean isTrue() throws IOException;
  }

  private void until(Asked asked) throws Exception {
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(90);
    while (!asked.isTrue()) {
      assertThat(System.nanoTime()).as(here.read("err.txt")).isLessThan(until);
      Thread.sleep(100);
    }
  }
}
