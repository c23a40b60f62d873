package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Instant;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.JsonNode;

/**
 * Runs into folders of files, killed at any moment; a database that knows only files reads them.
 */
class FolderCommandTest {
  private static final int KILLS = Seeds.times() == 1 ? 6 : 65;
  private static final Instant BEGIN = Instant.parse("2026-05-03T05:00:00Z");

  @TempDir private Path folder;
  private Wexrun here;
  private int written;

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: depot
        stores:
          ask: {duckdb: ask.db}
          lake: {folder: lake, format: parquet, by: [hour(time)]}
          sums: {folder: sums, format: parquet}
          texts: {folder: texts, format: csv, by: [gate], compress: none}
          objects: {folder: objects, format: ndjson}
        tables:
          scans: {in: lake, columns: {n: int, time: timestamp, gate: text}}
          gates: {in: texts, columns: {n: int, gate: text}}
          all: {in: objects, columns: {n: int}}
          hours:
            in: sums
            group: hour
            columns:
              hour: timestamp = truncate(time, "hour")
              rows: long = count()
              last: int = max(n)
        """);
    Files.writeString(
        folder.resolve("pipelines/load.yaml"),
        """
        pipeline: load
        intake: {files: 'a.log'}
        shape: [template: '{n:int} {time:timestamp} {gate}']
        route: [to: [scans, gates, all, hours]]
        flush: {rows: 4000, age: 100ms}
        """);
    here = Wexrun.in(folder);
  }

  private void write(int lines) throws IOException {
    StringBuilder text = new StringBuilder();
    for (int left = lines; left > 0; left--) {
      String time = BEGIN.plusSeconds(++written).toString();
      text.append(written)
          .append(' ')
          .append(time)
          .append(" gate-")
          .append(written % 3)
          .append('\n');
    }
    Files.writeString(
        folder.resolve("a.log"), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private String rows(String reading) {
    String sql =
        "select count(*) a, count(distinct n) b, max(n) c from " + reading.formatted(folder);
    Result asked = here.run("sql", "--json", sql);
    assertThat(asked.exit()).as(asked.err()).isZero();
    JsonNode row = asked.json().get("rows").get(0);
    return row.get("a").asInt() + " " + row.get("b").asInt() + " " + row.get("c").asInt();
  }

  private int count(String sql) {
    Result asked = here.run("sql", "--json", sql.formatted(folder));
    assertThat(asked.exit()).as(asked.err()).isZero();
    return asked.json().get("rows").get(0).get("n").asInt();
  }

  @Test
  void whateverTheMomentOfAKillEachRecordIsInTheFilesOnce() throws Exception {
    SplittableRandom dice = new SplittableRandom();
    for (int kills = 0; kills < KILLS; kills++) {
      write(20_000);
      Process run = here.start("run");
      assertThat(run.waitFor(900 + dice.nextInt(1800), TimeUnit.MILLISECONDS))
          .as(() -> here.read("err.txt"))
          .isFalse();
      run.destroyForcibly().waitFor();
      if (kills % 3 == 1) {
        Process merging = here.start("files", "compact");
        merging.waitFor(400 + dice.nextInt(900), TimeUnit.MILLISECONDS);
        merging.destroyForcibly().waitFor();
      }
    }
    Result last = here.run("run", "--once");
    assertThat(last.exit()).as(last.err()).isZero();
    Result merged = here.run("files", "compact");
    assertThat(merged.exit()).as(merged.err()).isZero();
    assertThat(merged.err()).contains("scans: ", " files became ");
    String all = written + " " + written + " " + written;
    assertThat(rows("read_parquet('%s/lake/scans/**/*.parquet')")).isEqualTo(all);
    assertThat(rows("read_csv('%s/texts/gates/**/*.csv')")).isEqualTo(all);
    assertThat(rows("read_json('%s/objects/all/**/*.ndjson.gz')")).isEqualTo(all);
    assertThat(here.run("tally").exit()).isZero();
    String differing =
        "select count(*) n from (select hour, sum(rows) a, max(last) b from"
            + " read_parquet('%1$s/sums/hours/**/*.parquet') group by 1) full join (select"
            + " date_trunc('hour', time) as h, count(*) c, max(n) d from"
            + " read_parquet('%1$s/lake/scans/**/*.parquet') group by 1)"
            + " on hour = h where a is distinct from c or b is distinct from d";
    assertThat(count(differing)).isZero();
    String hours =
        "select count(*) n from read_parquet('%s/lake/scans/**/*.parquet')"
            + " where cast(hour as integer) <> hour(time at time zone 'UTC')";
    assertThat(count(hours)).isZero();
  }

  /** A limit of the size of files is what a disk that becomes full looks like. */
  @ParameterizedTest
  @ValueSource(strings = {"gates", "all"})
  void aDiskThatIsFullIsToldAndLosesNothing(String table) throws IOException {
    StringBuilder lines = new StringBuilder();
    for (int i = 0; i < 60_000; i++) {
      lines.append(i).append(" 2026-05-03T05:00:00Z gate-").append("x".repeat(180)).append('\n');
    }
    Files.writeString(folder.resolve("a.log"), lines);
    Path pipeline = folder.resolve("pipelines/load.yaml");
    String all = Files.readString(pipeline);
    Files.writeString(
        pipeline,
        all.replace("[scans, gates, all, hours]", "[" + table + "]")
            .replace("rows: 4000, age: 100ms", "rows: 60000, age: 1m"));
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(
        yaml,
        Files.readString(yaml)
            .replace("format: ndjson", "format: ndjson, compress: none")
            .replace(
                "all: {in: objects, columns: {n: int}}",
                "all: {in: objects, columns: {n: int, gate: text}}"));
    Result full = here.runLimited("ulimit -f 8000", "run", "--once");
    assertThat(full.exit()).as(full.err()).isEqualTo(3);
    assertThat(full.err())
        .contains("cannot write rows of table " + table, "File too large")
        .doesNotContain("a bug", "\tat ");
    Result well = here.run("run", "--once");
    assertThat(well.exit()).as(well.err()).isZero();
    assertThat(well.out()).contains("loaded  " + table + " 60,000");
    assertThat(here.run("tally").out()).contains("balanced");
  }

  @Test
  void aFolderThatCannotBeWrittenIsToldAndLosesNothing() throws IOException {
    write(10);
    Path yaml = folder.resolve("wexrun.yaml");
    String all = Files.readString(yaml);
    for (String place : List.of("a.log/lake", "/proc/lake")) {
      Files.writeString(yaml, all.replace("folder: lake", "folder: " + place));
      Result run = here.run("run", "--once");
      assertThat(run.exit()).isEqualTo(3);
      assertThat(run.err())
          .containsPattern("cannot write in store lake .*: (there is no|no right to|.*Not a dir)");
    }
    Files.writeString(yaml, all);
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(rows("read_parquet('%s/lake/scans/**/*.parquet')")).isEqualTo("10 10 10");
  }

  @Test
  void deadLettersAreTakenIntoFilesOfTheirOwn() throws IOException {
    write(10);
    Files.writeString(folder.resolve("a.log"), "11 never gate-1\n", StandardOpenOption.APPEND);
    Path yaml = folder.resolve("wexrun.yaml");
    Files.writeString(
        yaml,
        Files.readString(yaml)
                .replace(
                    "stores:", "stores:\n  graves: {folder: objects, format: ndjson, prefix: dead}")
            + "  dead_lines: {in: graves, columns: {line: text, why: text, from: text, k:"
            + " bytes}}\n");
    Files.writeString(
        folder.resolve("pipelines/dead.yaml"),
        """
        pipeline: bury
        intake: {queue: dead/load}
        shape:
          - template: '{line}'
          - origin: {why: header reason, from: header source, k: key}
        route: [to: dead_lines]
        """);
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    String sql =
        "select count(*) n from read_json('%s/objects/dead_lines/all/dead-*.ndjson.gz') where line"
            + " = '11 never gate-1' and why = 'bad-value' and \"from\" = 'a.log' and k is null";
    assertThat(count(sql)).isEqualTo(1);
    Files.writeString(
        folder.resolve("pipelines/dead.yaml"),
        Files.readString(folder.resolve("pipelines/dead.yaml")).replace("dead/load", "dead/bury"));
    assertThat(here.run("check").out()).contains("a pipeline does not take its own dead letters");
  }

  @Test
  void aSecondWorkspaceDoesNotTakeUpTheTablesOfTheFirst() throws IOException {
    write(10);
    assertThat(here.run("run", "--once").exit()).isZero();
    Path second = Files.createDirectories(folder.resolve("second/pipelines")).getParent();
    Files.copy(folder.resolve("a.log"), second.resolve("a.log"));
    Path pipeline = folder.resolve("pipelines/load.yaml");
    String text = Files.readString(pipeline).replace("[scans, gates, all, hours]", "all");
    Files.writeString(second.resolve("pipelines/load.yaml"), text);
    String yaml = Files.readString(folder.resolve("wexrun.yaml"));
    Files.writeString(
        second.resolve("wexrun.yaml"), yaml.replace("folder: ", "folder: " + folder + "/"));
    Result same = Wexrun.in(second).run("run", "--once");
    assertThat(same.exit()).isEqualTo(3);
    assertThat(same.err()).contains("has rows of a pipeline of this name, but the tally knows");
    Files.writeString(
        second.resolve("pipelines/load.yaml"), text.replace("pipeline: load", "pipeline: other"));
    assertThat(Wexrun.in(second).run("run", "--once").exit()).isZero();
    assertThat(rows("read_json('%s/objects/all/**/*.ndjson.gz')")).isEqualTo("20 10 10");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("tally").out()).contains("balanced");
  }

  @Test
  void aFolderThatIsRemovedIsToldAndSettled() throws IOException {
    write(10);
    assertThat(here.run("run", "--once").exit()).isZero();
    Path table = folder.resolve("objects/all");
    Files.move(table, folder.resolve("away"));
    Result run = here.run("run", "--once");
    assertThat(run.exit()).isEqualTo(3);
    assertThat(run.err()).contains("target all of pipeline load", "wexrun reconcile load");
    assertThat(here.run("reconcile", "load", "--again", "--yes").exit()).isZero();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(rows("read_json('%s/objects/all/**/*.ndjson.gz')")).isEqualTo("10 10 10");
    assertThat(rows("read_parquet('%s/lake/scans/**/*.parquet')")).isEqualTo("10 10 10");
  }
}
