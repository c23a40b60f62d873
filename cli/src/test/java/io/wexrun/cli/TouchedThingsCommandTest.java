package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.core.diagnose.Shown;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tools.jackson.databind.JsonNode;

/** The commands that settle what somebody has touched, and what keeps others from touching. */
class TouchedThingsCommandTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void makeWorkspace() throws IOException {
    here = Wexrun.in(folder);
    write(
        "wexrun.yaml",
        """
        workspace: touched
        stores: {w: {duckdb: w.db}}
        queues: {q: {partitions: 2}}
        tables:
          t: {in: w, columns: {n: int, note: text}}
        """);
    write("pipelines/load.yaml", pipeline("load"));
    lines(1, 20);
  }

  private void write(String name, String text) throws IOException {
    Files.createDirectories(folder.resolve(name).getParent());
    Files.writeString(folder.resolve(name), text);
  }

  private static String pipeline(String name) {
    return "pipeline: "
        + name
        + "\nintake: {files: '*.log'}\nshape: [template: '{n:int} {note}']\nroute: [to: t]\n";
  }

  private void lines(int from, int to) throws IOException {
    StringBuilder more = new StringBuilder();
    IntStream.rangeClosed(from, to).forEach(n -> more.append(n).append(" x\n"));
    Files.writeString(
        folder.resolve("a.log"), more, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private int rows() {
    return here.run("sql", "--json", "select count(*) as n, count(distinct n) as d from t")
        .json()
        .get("rows")
        .get(0)
        .get("n")
        .asInt();
  }

  @Test
  void aDroppedTableIsToldByEveryCommandUntilItIsSettled() throws IOException {
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("sql", "drop table t").exit()).as("sql only reads").isEqualTo(3);
    assertThat(here.run("sql", "--write", "drop table t").exit()).isZero();
    lines(21, 25);
    Result run = here.run("run", "--once");
    assertThat(run.exit()).isEqualTo(3);
    assertThat(run.err()).contains("target t of pipeline load", "wexrun reconcile load");
    assertThat(here.run("check").exit()).isEqualTo(1);
    assertThat(here.run("check").out()).contains("does not agree: target t of pipeline load");
    Result tally = here.run("tally", "--json");
    assertThat(tally.exit()).isEqualTo(4);
    assertThat(tally.json().get("setbacks").get(0).get("target").asString()).isEqualTo("t");

    Result dry = here.run("reconcile", "load", "--again");
    assertThat(dry.exit()).isEqualTo(4);
    assertThat(dry.out()).contains("20 rows count as lost", "the sources have it");
    assertThat(dry.err()).contains("nothing was changed");
    assertThat(here.run("reconcile", "--yes").exit()).isEqualTo(2);
    assertThat(here.run("reconcile", "--again", "--accept").exit()).isEqualTo(2);
    assertThat(here.run("reconcile", "laod").err()).contains("did you mean 'load'");
    assertThat(here.run("reconcile", "load", "--again", "--yes").exit()).isZero();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(rows()).isEqualTo(25);
    assertThat(here.run("tally").exit()).isZero();
    assertThat(here.run("reconcile").err()).contains("targets and tally agree");
  }

  @Test
  void whatIsAcceptedAsLostIsAFigureOfTheBooks() throws IOException {
    here.run("run", "--once");
    Files.delete(folder.resolve("w.db"));
    assertThat(here.run("reconcile", "load", "--accept", "--yes").exit()).isZero();
    lines(21, 25);
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(rows()).isEqualTo(5);
    JsonNode tally = here.run("tally", "--json").json().get("pipelines").get(0);
    assertThat(tally.get("loaded").asInt()).isEqualTo(5);
    assertThat(tally.get("lost").asInt()).isEqualTo(20);
    assertThat(tally.get("balanced").asBoolean()).isTrue();
    assertThat(here.run("tally").out()).containsPattern("held +lost +books");
  }

  @Test
  void theHistoryTellsWhatPeopleDid() throws IOException {
    assertThat(here.run("history").err()).contains("nothing was done but run");
    assertThat(here.run("history", "--limit", "0").exit()).isEqualTo(2);
    here.run("run", "--once");
    here.run("sql", "--write", "drop table t");
    here.run("sql", "--write", "drop table nothing");
    here.run("reconcile", "load", "--accept", "--yes");
    write("pipelines/load.yaml", pipeline("loading"));
    here.run("adopt", "load", "loading", "--yes");
    here.run("queue", "delete", "dead/loading", "--unread", "--yes");
    List<JsonNode> acts = new ArrayList<>();
    here.run("history", "--json").json().get("acts").forEach(acts::add);
    assertThat(acts)
        .extracting(act -> act.get("what").asText() + " " + act.get("with").asText())
        .containsExactly(
            "change w",
            "change w",
            "change w",
            "reconcile load",
            "adopt loading",
            "delete queue dead/loading");
    assertThat(acts.get(0).get("detail").asText()).isEqualTo("drop table t");
    assertThat(acts.get(0).get("by").asText()).isEqualTo(System.getProperty("user.name"));
    assertThat(acts.get(2).get("detail").asText()).startsWith("failed: ");
    assertThat(acts.get(3).get("detail").asText()).contains("target t of pipeline load");
    assertThat(here.run("history", "--limit", "1").out())
        .contains("delete queue")
        .doesNotContain("adopt");
  }

  @Test
  void aRenamedPipelineIsAdopted() throws IOException {
    here.run("run", "--once");
    write("pipelines/load.yaml", pipeline("loading"));
    assertThat(here.run("check").out()).contains("undefined-pipeline", "wexrun adopt load loading");
    assertThat(here.run("adopt", "lod", "loading").exit()).isEqualTo(2);
    assertThat(here.run("adopt", "load", "loading").err()).contains("nothing was changed");
    assertThat(here.run("adopt", "load", "loading", "--yes").exit()).isZero();
    lines(21, 25);
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(rows()).isEqualTo(25);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "tables:  {drop: {in: w, columns: {n: int}}} | reserved-name",
        "queues:  {dead: {partitions: 1}}            | reserved-name",
        "stores:  &x {s: *x}                         | stands inside itself",
      })
  void namesWithAMeaningAndEndlessTextsAreRefused(String text, String told) throws IOException {
    write("wexrun.yaml", "workspace: x\n" + text + "\n");
    Result check = here.run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out()).contains(told);
  }

  @Test
  void deepAndHugeFilesAreRefusedAtOnce() throws IOException {
    write("wexrun.yaml", "workspace: " + "[".repeat(5000) + "]".repeat(5000) + "\n");
    assertThat(here.run("check").out()).contains("100 deep inside each other");
    write("wexrun.yaml", "# " + "x".repeat(9 << 20) + "\n");
    assertThat(here.run("check").err()).contains("more than 8 megabytes");
  }

  @Test
  void nothingThatIsShownSteersATerminal() throws IOException {
    String hostile = "1 \u001b]0;owned\u0007 \u009b2J \u202e \u200b end\n";
    Files.writeString(folder.resolve("a.log"), hostile + "\u001b[2Jbad\n");
    Wexrun seen = new Wexrun(folder, "out,err");
    assertThat(seen.run("run", "--once").exit()).isZero();
    for (String[] command :
        new String[][] {{"sql", "select note from t"}, {"dead", "--list"}, {"try", "load"}}) {
      Result shown = seen.run(command);
      String plain = (shown.out() + shown.err()).replaceAll("\u001b\\[[0-9]*[mKA]", "");
      assertThat(plain.chars().filter(c -> c != '\n' && Shown.steers(c)))
          .as(String.join(" ", command) + ": " + plain)
          .isEmpty();
    }
    assertThat(seen.run("sql", "select note from t").out()).contains("\\x1b]0;owned\\x07");
    for (String[] command :
        new String[][] {
          {"sql", "select note from t"}, {"dead", "--list"}, {"dead", "show", "load", "0@0"}
        }) {
      String piped = here.run(command).out();
      assertThat(piped.chars().filter(c -> c != '\n' && Shown.steers(c)))
          .as("a pipe may end in a terminal: " + piped)
          .isEmpty();
    }
    String json = here.run("sql", "--json", "select note from t").out();
    assertThat(json.chars().filter(c -> c != '\n' && Shown.steers(c))).isEmpty();
    assertThat(here.run("sql", "--json", "select note from t").json().toString())
        .as("but the value is the same")
        .contains("\u202e");
  }

  @Test
  void otherPartitionsThanDefinedAreTold() throws IOException {
    here.run("queue", "create", "q");
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(yaml, Files.readString(yaml).replace("partitions: 2", "partitions: 4"));
    Result check = here.run("check");
    assertThat(check.exit()).isZero();
    assertThat(check.out()).contains("other-partitions", "queue q has 2 partitions");
  }

  @Test
  void aPutThatIsRepeatedDoublesNothing() throws IOException {
    assertThat(here.run("queue", "put", "q", "a.log", "--producer", "night").err())
        .contains("appended 20 records");
    lines(21, 25);
    assertThat(here.run("queue", "put", "q", "a.log", "--producer", "night").err())
        .contains("appended 5 records", "20 records were there already");
    assertThat(here.run("queue", "read", "q").out().lines()).hasSize(25).doesNotHaveDuplicates();
  }

  @Test
  void aRunOfOnePipelineTellsOnlyItself() throws IOException {
    write("pipelines/other.yaml", pipeline("other").replace("*.log", "*.txt"));
    Result run = here.run("run", "--once", "load");
    assertThat(run.err()).contains("load: 20 taken").doesNotContain("other");
    assertThat(run.out()).doesNotContain("other");
    assertThat(here.run("try", "load", "--step", "99").exit()).isEqualTo(2);
    JsonNode fields = here.run("check", "--show", "--json").json().get("fields");
    assertThat(fields.get("load").get(0).get("fields").get("n").asString()).isEqualTo("int");
  }
}
