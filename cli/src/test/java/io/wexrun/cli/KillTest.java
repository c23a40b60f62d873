package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/**
 * A run is killed over and over, with channels in memory, then on disk, then in memory again; the
 * tables end as if nothing had happened.
 */
class KillTest {
  private static final int SOAK = Seeds.times();
  private static final int KILLS = SOAK == 1 ? 12 : 65;
  private static final int LINES = SOAK == 1 ? 400_000 : 4_000_000;
  private static final String ON_DISK = "\nchannel: {disk: 4MB}\n";

  /** The rollup, but for the bytes of its sketches, of which only what they tell is compared. */
  private static final String HOURS = "(select * exclude (cards_sketch) from stop_hours)";

  private static final String HOURS_OF_VALUES =
      "(select hour, stop, scans, denied, mean_ms, longest_ms from stop_hours)";

  private static final String HOURS_OF_ROWS =
      "(select date_trunc('hour', time at time zone 'Europe/Berlin') at time zone 'Europe/Berlin'"
          + " as hour, stop, count(*) as scans, sum((result = 'denied')::int)::bigint as denied,"
          + " avg(ms) as mean_ms, max(ms) as longest_ms from scans group by 1, 2)";

  @TempDir private Path folder;

  /** The demo's workspace with small flushes, so that there is always something half-way. */
  private Wexrun workspace(String name) throws IOException {
    Path workspace = folder.resolve(name);
    Files.createDirectories(workspace.resolve("pipelines"));
    Files.createDirectories(workspace.resolve("incoming/gates"));
    try (var yaml = KillTest.class.getResourceAsStream("/demo/wexrun.yaml");
        var gates = KillTest.class.getResourceAsStream("/demo/pipelines/gates.yaml")) {
      Files.copy(yaml, workspace.resolve("wexrun.yaml"));
      String text =
          new String(gates.readAllBytes())
              .replace("flush: {rows: 500000,", "flush: {rows: 9000,")
              .replace("key: 'card=(\\S+)'\n", "key: 'card=(\\S+)'\nflush: {rows: 7000}\n");
      assertThat(text).contains("rows: 9000", "rows: 7000");
      Files.writeString(workspace.resolve("pipelines/gates.yaml"), text);
    }
    return Wexrun.in(workspace);
  }

  private static String digest(Wexrun workspace, String table) {
    Result result =
        workspace.run(
            "sql",
            "--json",
            "select count(*) as rows, cast(sum(hash(t)) as varchar) as digest from "
                + table
                + " t");
    assertThat(result.exit()).as(result.err()).isZero();
    return result.out();
  }

  private static JsonNode balanced(Wexrun workspace) {
    Result tally = workspace.run("tally", "--json");
    assertThat(tally.exit()).as(tally.out()).isZero();
    return tally.json();
  }

  @Test
  void whateverTheMomentEachRecordIsLoadedOnce() throws Exception {
    Wexrun calm = workspace("calm");
    Wexrun killed = workspace("killed");
    Result fed =
        calm.run(
            "feed",
            "--count",
            Integer.toString(LINES),
            "--seed",
            "9",
            "--out",
            "incoming/gates/a.log");
    assertThat(fed.exit()).isZero();
    Path lines = killed.folder().resolve("incoming/gates/a.log");
    Files.createLink(lines, calm.folder().resolve("incoming/gates/a.log"));
    assertThat(calm.run("run", "--once").exit()).isZero();

    long seed = System.nanoTime();
    System.out.println("kill seed " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    int kills = 0;
    Path pipelines = killed.folder().resolve("pipelines/gates.yaml");
    String inMemory = Files.readString(pipelines);
    while (kills < KILLS) {
      if (kills == KILLS / 3) {
        Files.writeString(pipelines, inMemory.replace("\nroute:", ON_DISK + "route:"));
      } else if (kills == KILLS - 2) {
        Files.writeString(pipelines, inMemory);
      }
      Process process = killed.start("run");
      // The first moments are the start of the machine; what matters comes after.
      if (!process.waitFor(600 + dice.nextInt(1400), TimeUnit.MILLISECONDS)) {
        process.destroyForcibly().waitFor();
        kills++;
        assertThat(process.exitValue()).isEqualTo(137);
      } else {
        throw new AssertionError("the run ended by itself: " + killed.read("err.txt"));
      }
      balanced(killed);
    }
    Result last = killed.run("run", "--once");
    assertThat(last.exit()).as(last.err()).isZero();

    assertThat(digest(killed, "scans")).isEqualTo(digest(calm, "scans"));
    assertThat(digest(killed, "faults")).isEqualTo(digest(calm, "faults"));
    assertThat(digest(killed, HOURS)).isEqualTo(digest(calm, HOURS));
    assertThat(digest(killed, HOURS_OF_ROWS)).isEqualTo(digest(killed, HOURS_OF_VALUES));
    assertThat(balanced(killed)).isEqualTo(balanced(calm));
    assertThat(killed.run("queue", "dead/gate-load").exit()).isZero();
    JsonNode load = balanced(killed).get("pipelines").get(1);
    assertThat(
            killed
                .run("dead", "--list", "--limit", "9999999", "--json", "gate-load")
                .json()
                .get("letters")
                .size())
        .isEqualTo(load.get("dead").asInt());
  }

  @Test
  void aSignalToEndFlushesAndAccountsForWhatIsHeld() throws Exception {
    Wexrun workspace = workspace("stopped");
    workspace.run("feed", "--count", "20000", "--out", "incoming/gates/a.log");
    Process run = workspace.start("run");
    // From the first pack on there is something half-way.
    Path packs = workspace.folder().resolve(".wexrun/queues/gate-events/p0");
    while (isEmpty(packs)) {
      assertThat(run.isAlive()).as(workspace.read("err.txt")).isTrue();
      Thread.sleep(5);
    }
    run.destroy();
    Result result = workspace.finish(run);
    assertThat(result.exit()).as(result.err()).isZero();
    assertThat(result.err()).contains("stopping: flushing what is held");
    assertThat(result.out()).contains("balanced");
    for (JsonNode pipeline : balanced(workspace).get("pipelines")) {
      assertThat(pipeline.get("held").asInt()).isZero();
    }
    assertThat(workspace.run("run", "--once").exit()).isZero();
    JsonNode pipelines = balanced(workspace).get("pipelines");
    assertThat(pipelines.get(0).get("taken").asInt()).isEqualTo(20_000);
    assertThat(pipelines.get(1).get("taken").asInt())
        .isEqualTo(pipelines.get(0).get("loaded").asInt());
  }

  private static boolean isEmpty(Path folder) throws IOException {
    if (!Files.isDirectory(folder)) {
      return true;
    }
    try (Stream<Path> files = Files.list(folder)) {
      return files.findAny().isEmpty();
    }
  }
}
