package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Folders;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Rows are traced to their records, and records to what has become of them. */
class TraceCommandTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void load() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: traced
        stores:
          w: {duckdb: w.db}
          lake: {folder: lake, format: parquet, by: [gate]}
        queues: {q: {partitions: 1}}
        tables:
          scans: {in: w, origin: true, columns: {n: long, gate: text, ms: int}}
          slow: {in: w, origin: true, columns: {n: long}}
          plain: {in: w, columns: {n: long}}
          kept: {in: lake, origin: true, columns: {n: long, gate: text, ms: int}}
        """);
    pipeline("{n:long} {gate} ms={ms:int}", "upperAscii()");
    Files.writeString(
        folder.resolve("scans.log"), "1 west ms=5\n2 east ms=70\n3 east ms=x\n4 west ms=9\n");
    here = Wexrun.in(folder);
    ok("run", "--once");
  }

  private void pipeline(String template, String gate) throws IOException {
    Files.writeString(
        folder.resolve("pipelines/all.yaml"),
        """
        pipeline: to-queue
        intake: {files: 'scans.log'}
        route: [{to: q}]
        ---
        pipeline: load
        intake: {queue: q}
        shape:
          - template: '%s'
          - set: {gate: gate.%s, ms: 'string(ms) == "x" ? "0" : string(ms)'}
          - cast: {ms: int}
        route: [{when: ms > 50, to: [scans, slow, plain]}, {otherwise: [scans, kept]}]
        """
            .formatted(template, gate));
  }

  private Result ok(String... args) {
    Result result = here.run(args);
    assertThat(result.exit()).as(String.join(" ", args) + ": " + result.err()).isZero();
    return result;
  }

  @Test
  void aRowIsTracedWithTheTextOfThenWhateverThePipelineSaysNow() throws IOException {
    pipeline("{n:long} {gate} ms={ms}", "lowerAscii()");
    Files.writeString(
        folder.resolve("scans.log"),
        Files.readString(folder.resolve("scans.log")) + "5 East ms=1\n");
    ok("run", "--once");
    JsonNode rows = ok("trace", "scans", "n = 2", "--json").json().get("rows");
    assertThat(rows).hasSize(1);
    assertThat(rows.get(0).get("row").get("gate").asString()).isEqualTo("EAST");
    assertThat(rows.get(0).get("row").has("_source")).isFalse();
    JsonNode record = rows.get(0).get("record");
    assertThat(record.get("source").asString()).isEqualTo("q/0");
    assertThat(record.get("position").asLong()).isEqualTo(1);
    assertThat(record.get("raw").asString()).isEqualTo("2 east ms=70");
    assertThat(record.get("way").get("steps").get(1).get("rows").get(0).get("gate").asString())
        .as("as it was made, not as it would be made now")
        .isEqualTo("EAST");
    assertThat(record.get("rows").get("scans").asInt()).isEqualTo(1);
    assertThat(record.get("rows").get("slow").asInt()).isEqualTo(1);
    assertThat(ok("trace", "scans", "n = 5").out()).contains("~gate=east", "goes to scans");
    assertThat(ok("trace", "scans", "n > 0").err()).contains("3 rows; --limit traces more");
    assertThat(ok("trace", "scans", "n = 99").err()).contains("no row fits");
  }

  @Test
  void aRecordIsFollowedThroughItsDeathAndBack() throws IOException {
    String dead = ok("trace", "--record", "q/0@2").out();
    assertThat(dead)
        .contains("3 east ms=x", "dies: bad-value at shape[0].template", "dead letter 0@0, died ")
        .doesNotContain("row in");
    pipeline("{n:long} {gate} ms={ms}", "lowerAscii()");
    ok("replay", "load");
    String back = ok("trace", "--record", "q/0@2").out();
    assertThat(back).contains("replayed by replay 1", "~ms=0", "goes to scans", "1 row in scans");
    assertThat(ok("trace", "scans", "n = 3").out()).contains("dead letter 0@0", "goes to scans");
    JsonNode letter =
        ok("trace", "--record", "q/0@2", "--json").json().get("records").get(0).get("letters");
    assertThat(letter.get(0).get("replay").get("revived").asInt()).isEqualTo(1);
    ok("sql", "--write", "delete from scans where n = 1");
    assertThat(ok("trace", "--record", "q/0@0").out()).contains("no row of it is in scans");
    assertThat(ok("trace", "--record", "q/0@99").out()).contains("has no record there");
    assertThat(ok("trace", "--record", "scans.log@0").out()).contains("to-queue", "goes to q");
  }

  /** No database holds them, so somebody else must answer; {@code sql} asks the database still. */
  @Test
  void rowsInFilesAreTracedAndProven() throws IOException {
    String traced = ok("trace", "kept", "ms = 9").out();
    assertThat(traced).contains("n=4", "q/0 @3", "4 west ms=9", "1 row in kept", "1 row in scans");
    assertThat(ok("trace", "--record", "q/0@0").out()).contains("1 row in kept");
    assertThat(ok("sql", "select count(*) from slow").out()).contains("1");
    assertThat(ok("sql", "--store", "lake", "select sum(n) as s from kept").out()).contains("5");
    assertThat(here.run("sql", "--store", "lake", "--write", "delete from kept").err())
        .contains("not changed by SQL");
    ok("tally", "--prove");
    try (Stream<Path> files = Files.walk(folder.resolve("lake/kept/gate=WEST"))) {
      for (Path file : files.filter(Files::isRegularFile).toList()) {
        Files.delete(file);
      }
    }
    Result proof = here.run("tally", "--prove");
    assertThat(proof.exit()).isEqualTo(4);
    assertThat(proof.out()).contains("kept from q/0", "2 rows missing");
    assertThat(ok("trace", "--record", "q/0@0").out()).contains("no row of it is in kept");
    Folders.remove(folder.resolve("lake/kept"));
    ok("sql", "--write", "drop table slow");
    proof = here.run("tally", "--prove");
    assertThat(proof.out())
        .containsPattern("kept .*2 rows missing")
        .containsPattern("slow .*1 row");
    assertThat(ok("trace", "--record", "q/0@1").out()).contains("no row of it is in slow");
  }

  @Test
  void whatCannotBeTracedIsSaid() {
    assertThat(here.run("trace", "plain", "true").err())
        .contains("give the table 'origin: true'; those that do are scans, slow, kept");
    assertThat(here.run("trace", "scnas", "true").err()).contains("no table 'scnas'", "scans");
    assertThat(here.run("trace", "scans").exit()).isEqualTo(2);
    assertThat(here.run("trace", "--record", "q/0").err()).contains("named like gate-events/0@136");
    assertThat(here.run("trace", "--record", "none/0@1").err()).contains("no pipeline has taken");
    assertThat(here.run("trace", "scans", "nothing = 1").exit()).isEqualTo(3);
  }
}
