package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.JsonNode;

/** What is wrong is told clearly, with an exit code, and nothing is lost. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class BadInputTest {
  @TempDir private static Path folder;
  private Wexrun demo;

  @BeforeAll
  void makeDemo() {
    assertThat(Wexrun.in(folder).run("demo", "d").exit()).isZero();
    demo = Wexrun.in(folder.resolve("d"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "chek ~ 2 ~ wexrun check",
        "run gate-laod ~ 2 ~ there is no pipeline 'gate-laod': did you mean 'gate-load'?",
        "dead --reason typo ~ 2 ~ the reasons are bad-encoding, too-long, no-match",
        "queue gate-event ~ 2 ~ did you mean 'gate-events'?",
        "queue read gate-events --partition 9 ~ 2 ~ partitions 0 to 3, not 9",
        "queue read gate-events --from never ~ 2 ~ --from is oldest, newest, a position, or a time",
        "sql --store warehose x ~ 2 ~ did you mean 'warehouse'?",
        "token add x --append gate-evens ~ 2 ~ there is no queue 'gate-evens'",
        "token add x/y ~ 2 ~ 'x/y' is not a name: use letters, digits",
        "token add x --most much ~ 2 ~ --most a size such as 1MB",
        "token revoke nobody ~ 2 ~ there is no token 'nobody'",
        "resend warehouse ~ 2 ~ there is no delivering store 'warehouse': there are none",
        "collect 1:2:3 ~ 2 ~ '1:2:3' is not an address",
        "collect --confirm-after soon ~ 2 ~ --confirm-after is a time such as 2s",
        "files position_file ~ 2 ~ did you mean 'position_files'?",
        "files compact scans ~ 2 ~ there is no table of files 'scans'",
        "files compact --size much ~ 2 ~ --size is written like 64MB",
        "files read wexrun.yaml ~ 3 ~ names of files with rows end with .csv, .ndjson, .parquet",
        "files read none.csv ~ 3 ~ there is no file",
        "sql selec ~ 3 ~ does not take the query",
        "sql ~ 2 ~ QUERY",
        "tally --workspace /none ~ 3 ~ there is no workspace in /none",
        "run --lanes many ~ 2 ~ 'many' is not an int",
      })
  void aWrongCommandLineSaysWhatIsWrong(String line, int exit, String told) {
    Result result = demo.run(line.split(" "));
    assertThat(result.exit()).as(result.err()).isEqualTo(exit);
    assertThat(result.err()).contains(told).doesNotContain("Exception", "\tat ");
    assertThat(result.out()).isEmpty();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "demo",
        "feed",
        "check",
        "run",
        "tally",
        "dead",
        "dead show",
        "dead export",
        "dead edit",
        "dead drop",
        "replay",
        "rebuild",
        "trace",
        "queue",
        "sql",
        "schema",
        "token",
        "token add",
        "token revoke",
        "resend",
        "doctor",
        "runs",
        "collect",
        "files",
        "files compact",
        "queue read",
        "queue put",
        "queue trim",
        "queue verify",
        "queue groups",
        "queue delete"
      })
  void everyCommandHasHelpWithAnExampleAndItsExitCodes(String command) {
    Result help = demo.run(words(command + " --help"));
    assertThat(help.exit()).isZero();
    assertThat(help.out()).contains("Example: wexrun " + command, "Exit codes: 0 ", "--json");
    String example = help.out().substring(help.out().indexOf("Example: wexrun ") + 16).strip();
    String inDemo =
        example
            .replace("--workspace tram-demo", "")
            .replace("tram-demo/", "")
            .replace("demo tram-demo", "demo again");
    Result run = demo.run(words(inDemo));
    assertThat(run.exit()).as(run.err()).isZero();
  }

  private static String[] words(String line) {
    if (line.contains("\"")) {
      int quote = line.indexOf('"');
      return new String[] {
        line.substring(0, quote).strip(), line.substring(quote + 1, line.length() - 1)
      };
    }
    return line.strip().replace("'", "").split("\\s+");
  }

  @Test
  void checkTellsMistakesAsDataAndAsJson() throws IOException {
    Path bad = Files.createDirectories(folder.resolve("bad"));
    Files.writeString(bad.resolve("wexrun.yaml"), "workspace: bad\ntabels: {}\n");
    Result check = Wexrun.in(bad).run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out())
        .contains("wexrun.yaml:2:1", "^^^^^^", "did you mean 'tables'?")
        .doesNotContain("\u001b");
    assertThat(check.err()).contains("1 error, 0 warnings");
    var json = Wexrun.in(bad).run("check", "--json").json().get("diagnostics").get(0);
    assertThat(json.get("line").asInt()).isEqualTo(2);
    assertThat(json.get("code").asString()).isEqualTo("unknown-key");
    assertThat(Wexrun.in(bad).run("run").exit()).isEqualTo(1);
  }

  @Test
  void thereIsNoWorkspaceAboveTheRoot() {
    Result result = Wexrun.in(folder).run("tally");
    assertThat(result.exit()).isEqualTo(3);
    assertThat(result.err()).contains("there is no workspace here", "wexrun demo");
  }

  @Test
  void whatAnotherProcessHoldsIsToldWithItsHolder() throws Exception {
    Path doors = demo.folder().resolve("pipelines/doors.yaml");
    String anyPort = Files.readString(doors).replace(":8400", ":0").replace(":5514", ":0");
    Files.writeString(doors, anyPort);
    Process run = demo.start("run");
    Wexrun beside = Wexrun.in(Files.createDirectories(folder.resolve("beside")));
    String here = demo.folder().toString();
    String holder = "process " + run.pid();
    try {
      while (!Files.exists(demo.folder().resolve("warehouse.db.wal")) && run.isAlive()) {
        if (run.toHandle().info().totalCpuDuration().orElseThrow().toMillis() > 4000) {
          break;
        }
        Thread.sleep(20);
      }
      Result second = beside.runChild(List.of(), "run", "--once", "-w", here, "gate-intake");
      assertThat(second.exit()).isEqualTo(3);
      assertThat(second.err())
          .contains("pipeline gate-intake is held by " + holder + " (wexrun run)");
      Result asked = beside.runChild(List.of(), "sql", "-w", here, "select 1");
      assertThat(asked.exit()).as(asked.err()).isZero();
      Result sql = beside.runChild(List.of(), "sql", "-w", here, "--write", "select 1");
      assertThat(sql.exit()).isEqualTo(3);
      assertThat(sql.err()).contains("store warehouse", "is held by " + holder);
      assertThat(beside.run("queue", "-w", here, "gate-events").exit()).isZero();
      assertThat(beside.run("tally", "-w", here).exit()).isZero();
      assertThat(beside.run("dead", "-w", here).exit()).isZero();
    } finally {
      run.destroy();
      run.waitFor();
    }
  }

  @Test
  void aFullDiskStopsTheRunAndLosesNothing() throws IOException {
    Path full = folder.resolve("full");
    assertThat(Wexrun.in(folder).run("demo", "full").exit()).isZero();
    Wexrun workspace = Wexrun.in(full);
    long before = tally(workspace, "gate-load").get("taken").asLong();
    workspace.run("feed", "--count", "60000", "--seed", "77", "--out", "incoming/gates/more.log");
    // No file may grow beyond 1.8 MB: the queue's partitions hold 1.6 MB each already.
    String limit = "ulimit -f 3500";
    Result library = workspace.runLimited(limit, "run", "--once");
    assertThat(library.exit()).isEqualTo(3);
    assertThat(library.err()).contains("DuckDB's native library cannot be unpacked");
    Result run = workspace.runLimited(limit, "run", "--once", "gate-intake");
    assertThat(run.exit()).as(run.err()).isEqualTo(3);
    assertThat(run.err()).contains("cannot append to queue gate-events", "File too large");
    Result again = workspace.run("run", "--once");
    assertThat(again.exit()).as(again.err()).isZero();
    JsonNode intake = tally(workspace, "gate-intake");
    JsonNode load = tally(workspace, "gate-load");
    assertThat(intake.get("taken").asLong()).isEqualTo(120_000);
    assertThat(load.get("taken").asLong()).isEqualTo(intake.get("loaded").asLong());
    assertThat(load.get("taken").asLong()).isGreaterThan(before);
    assertThat(load.get("balanced").asBoolean()).isTrue();
  }

  private static JsonNode tally(Wexrun workspace, String pipeline) {
    for (JsonNode each : workspace.run("tally", "--json").json().get("pipelines")) {
      if (each.get("pipeline").asString().equals(pipeline)) {
        return each;
      }
    }
    throw new AssertionError("no tally of " + pipeline);
  }
}
