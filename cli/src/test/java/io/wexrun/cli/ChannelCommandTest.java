package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.sql.Connection;
import java.sql.DriverManager;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Pipelines with their channel on disk, in child processes, while their store is held. */
@Timeout(180)
class ChannelCommandTest {
  private static final int LINES = 20_000;

  @TempDir private Path folder;
  private Wexrun here;
  private Path pipeline;

  @BeforeEach
  void makeWorkspace() throws IOException {
    here = Wexrun.in(folder);
    Files.createDirectories(folder.resolve("pipelines"));
    Files.createDirectories(folder.resolve("incoming"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        "stores: {warehouse: {duckdb: warehouse.db}}\n"
            + "tables: {doors: {in: warehouse, columns: {door: int required}}}\n");
    pipeline = folder.resolve("pipelines/doors.yaml");
    write("{disk: 10MB}");
  }

  private void write(String channel) throws IOException {
    Files.writeString(
        pipeline,
        "pipeline: doors-load\nintake: {files: incoming/*.log}\nchannel: "
            + channel
            + "\nshape: [template: 'door={door:int}']\nroute: [to: doors]\nflush: {age: 1s}\n");
  }

  private void append(int from) throws IOException {
    String lines =
        IntStream.range(from, from + LINES)
            .mapToObj(i -> i % 100 == 0 ? "ajar\n" : "door=" + i + "\n")
            .collect(Collectors.joining());
    Path file = folder.resolve("incoming/a.log");
    Files.writeString(file, lines, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private JsonNode tally() {
    Result tally = here.run("tally", "--json");
    assertThat(tally.exit()).as(tally.out()).isZero();
    return tally.json().get("pipelines").get(0);
  }

  /** The store, held as by another process: nobody else can open it meanwhile. */
  private Connection heldStore() throws Exception {
    return DriverManager.getConnection("jdbc:duckdb:" + folder.resolve("warehouse.db"));
  }

  private void awaitHeld(Process run, int records) throws InterruptedException {
    while (tally().get("held").asInt() < records) {
      assertThat(run.isAlive()).as(here.read("err.txt")).isTrue();
      Thread.sleep(50);
    }
  }

  private void assertLoaded(int lines) {
    String counts = "select count(*) as n, count(distinct door) as d from doors";
    JsonNode row = here.run("sql", counts, "--json").json().get("rows").get(0);
    assertThat(row.get("n").asInt()).isEqualTo(lines * 99 / 100);
    assertThat(row.get("d").asInt()).as("each once").isEqualTo(lines * 99 / 100);
    JsonNode tally = tally();
    assertThat(tally.get("taken").asInt()).isEqualTo(lines);
    assertThat(tally.get("loaded").asInt()).isEqualTo(lines * 99 / 100);
    assertThat(tally.get("dead").asInt()).isEqualTo(lines / 100);
    assertThat(tally.get("held").asInt()).isZero();
  }

  @Test
  void theIntakeGoesOnWhileTheStoreIsHeldThroughRestartsAndAllIsLoadedOnce() throws Exception {
    append(0);
    try (Connection held = heldStore()) {
      assertThat(held.isValid(1)).isTrue();
      Result once = here.runChild(List.of(), "run", "--once");
      assertThat(once.exit()).isEqualTo(3);
      assertThat(once.err()).contains("waits in the channel of doors-load on disk");
      assertThat(tally().get("held").asInt()).isEqualTo(LINES);
      append(LINES);
      Process run = inSubfolder().start("run", "--workspace", folder.toString());
      awaitHeld(run, 2 * LINES);
      run.destroyForcibly().waitFor();
      // What was taken is not needed in its file any more.
      Files.delete(folder.resolve("incoming/a.log"));
      run = inSubfolder().start("run", "--workspace", folder.toString());
      Wexrun beside = inSubfolder();
      while (!beside.read("err.txt").contains("cannot deliver, so records wait on disk")) {
        assertThat(run.isAlive()).as(beside.read("err.txt")).isTrue();
        Thread.sleep(20);
      }
      held.close();
      while (tally().get("held").asInt() > 0) {
        assertThat(run.isAlive()).as(beside.read("err.txt")).isTrue();
      }
      run.destroy();
      assertThat(beside.finish(run).exit()).as(beside.read("err.txt")).isZero();
      assertThat(beside.read("err.txt")).contains("doors-load: delivers again what waited on disk");
    }
    assertLoaded(2 * LINES);
    assertThat(here.run("queue").out()).contains("channel/doors-load: 0 records wait");
    assertThat(here.run("queue", "verify", "channel/doors-load").exit()).isZero();
  }

  /** A folder of its own for the output of a run beside others. */
  private Wexrun inSubfolder() throws IOException {
    return Wexrun.in(Files.createDirectories(folder.resolve("beside")));
  }

  @Test
  void aChannelThatIsTakenOutOfThePipelineIsEmptiedFirst() throws Exception {
    append(0);
    try (Connection held = heldStore()) {
      assertThat(held.isValid(1)).isTrue();
      assertThat(here.runChild(List.of(), "run", "--once").exit()).isEqualTo(3);
    }
    Files.delete(folder.resolve("incoming/a.log"));
    write("");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertLoaded(LINES);
    assertThat(folder.resolve(".wexrun/queues/channel/doors-load")).doesNotExist();
    write("{disk: 10}");
    assertThat(here.run("check").out()).contains("'10' is not a size of at least 1MB");
    write("{size: 10MB}");
    assertThat(here.run("check").out())
        .contains("there is no channel of the kind 'size'", "the only kind is disk");
  }
}
