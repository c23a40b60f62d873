package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/**
 * A pipeline is edited over and over while it loads and while its run is killed: each record is
 * there once, and no record was made by an older text than one before it.
 */
class ReloadKillTest {
  private static final int KILLS = Seeds.times() == 1 ? 3 : 60;

  @TempDir private Path folder;
  private final AtomicInteger edits = new AtomicInteger();
  private final AtomicInteger written = new AtomicInteger();

  /** Writes the pipeline with another text, in one step, as careful editors do. */
  private void edit() {
    String text =
        """
        pipeline: load
        intake: {files: '*.log'}
        shape:
          - template: '{n:long}'
          - set: {edit: %d}
        route: [{to: rows}]
        flush: {rows: 700, age: 30ms}
        """
            .formatted(edits.incrementAndGet());
    try {
      Path fresh = folder.resolve("fresh.tmp");
      Files.writeString(fresh, text);
      Files.move(
          fresh,
          folder.resolve("pipelines/load.yaml"),
          java.nio.file.StandardCopyOption.REPLACE_EXISTING);
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  private void lines(int count) throws IOException {
    StringBuilder lines = new StringBuilder();
    for (int i = 0; i < count; i++) {
      lines.append(written.getAndIncrement()).append('\n');
    }
    Files.writeString(
        folder.resolve("a.log"), lines, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  /** By how many texts rows were made so far; 0 if nobody can say yet. */
  private static int texts(Wexrun here) {
    Wexrun.Result asked =
        here.run("sql", "--json", "select count(distinct edit) as texts from rows");
    return asked.exit() == 0 ? asked.json().get("rows").get(0).get("texts").asInt() : 0;
  }

  @Test
  void eachRecordIsThereOnceAndTextsFollowEachOther() throws Exception {
    long seed = System.nanoTime();
    System.out.println("reload kill seed " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: edited
        stores: {w: {duckdb: w.db}}
        tables: {rows: {in: w, columns: {n: long, edit: long}}}
        """);
    edit();
    Wexrun here = Wexrun.in(folder);
    AtomicBoolean over = new AtomicBoolean();
    SplittableRandom own = dice.split();
    Thread editor =
        new Thread(
            () -> {
              while (!over.get()) {
                edit();
                try {
                  Thread.sleep(own.nextInt(900, 2500));
                } catch (InterruptedException e) {
                  return;
                }
              }
            });
    editor.start();
    for (int kill = 0; kill < KILLS; kill++) {
      Process run = here.start("run");
      long until = System.nanoTime() + dice.nextLong(4_000_000_000L, 9_000_000_000L);
      long latest = System.nanoTime() + TimeUnit.MINUTES.toNanos(1);
      // In the first life rows are made by two texts at least, however slow the machine is.
      while (System.nanoTime() < until
          || kill == 0 && System.nanoTime() < latest && texts(here) < 2) {
        lines(dice.nextInt(200));
        Thread.sleep(dice.nextInt(20));
      }
      assertThat(run.isAlive()).as("it goes on: %s", here.read("err.txt")).isTrue();
      run.destroyForcibly().waitFor();
    }
    over.set(true);
    editor.join();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("tally").exit()).isZero();
    JsonNode facts =
        here.run(
                "sql",
                "--json",
                "select count(*) as rows, count(distinct n) as numbers,"
                    + " count(distinct edit) as texts, (select count(*) from (select edit <"
                    + " lag(edit) over (order by n) as older from rows) where older) as older"
                    + " from rows")
            .json()
            .get("rows")
            .get(0);
    assertThat(facts.get("rows").asInt()).isEqualTo(written.get());
    assertThat(facts.get("numbers").asInt()).isEqualTo(written.get());
    assertThat(facts.get("older").asInt()).as("made by an older text").isZero();
    assertThat(facts.get("texts").asInt()).isGreaterThan(1);
    System.out.println(KILLS + " kills, " + edits + " edits, " + facts);
  }
}
