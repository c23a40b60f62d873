package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.io.OutputStream;
import java.net.InetAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Files with values in their paths, from the command to the table. */
class ArchiveCommandTest {
  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void makeWorkspace() throws IOException {
    here = Wexrun.in(folder);
    write(
        "wexrun.yaml",
        """
        workspace: past
        stores: {lake: {duckdb: lake.db}}
        queues: {lines: {partitions: 1}}
        tables:
          scans:
            in: lake
            columns: {id: int, day: date, depot: text, file: text, line: long, how: text, host: text}
        """);
    write(
        "pipelines/past.yaml",
        """
        pipeline: past
        intake: {archive: 'old/{day:date}/{depot}/*', line-numbers: true, skip: {begins: '#'}}
        channel: {disk: 10MB}
        shape:
          - template: '{id:int}'
          - origin: {day: path day, depot: path depot, file: file, line: line, how: intake, host: host}
        route:
          - to: scans
        """);
    for (String day : List.of("2026-11-24", "2026-11-25")) {
      write("old/" + day + "/north/a.log", "# made by hand\n1\n\n2\n");
    }
    try (OutputStream out = Files.newOutputStream(folder.resolve("old/2026-11-25/north/b.zip"));
        ZipOutputStream zip = new ZipOutputStream(out)) {
      zip.putNextEntry(new ZipEntry("x/c.log"));
      zip.write("3\n4".getBytes(StandardCharsets.UTF_8));
    }
    Files.createDirectories(folder.resolve("in"));
  }

  private void write(String name, String text) throws IOException {
    Path file = folder.resolve(name);
    Files.createDirectories(file.getParent());
    Files.writeString(file, text);
  }

  private String rows(String sql) {
    return here.run("sql", "--json", sql).json().get("rows").toString();
  }

  @Test
  void whereRecordsComeFromIsInTheirRowsAlsoBehindAChannelOnDisk() throws IOException {
    assertThat(here.run("run", "--once").exit()).isZero();
    String host = InetAddress.getLocalHost().getHostName();
    assertThat(rows("select id, day, depot, file, line, how from scans order by day, id"))
        .contains("{\"id\":2,\"day\":\"2026-11-24\",\"depot\":\"north\"")
        .contains("\"file\":\"old/2026-11-24/north/a.log\",\"line\":4,\"how\":\"archive\"")
        .contains("\"id\":4,\"day\":\"2026-11-25\",\"depot\":\"north\"")
        .contains("\"file\":\"old/2026-11-25/north/b.zip!x/c.log\",\"line\":2,");
    assertThat(rows("select distinct host from scans")).isEqualTo("[{\"host\":\"" + host + "\"}]");
  }

  @Test
  void aRunSaysWhatItWouldTakeAndTakesOnlyThat() {
    String day = "day == date('2026-11-25')";
    Result preview = here.run("run", "past", "--where", day, "--preview");
    assertThat(preview.err()).contains("past would take 2 files of 2, ");
    assertThat(preview.out())
        .contains("old/2026-11-25/north/b.zip  2026-11-25  north")
        .doesNotContain("2026-11-24");
    assertThat(Files.exists(folder.resolve("lake.db"))).as("nothing was run").isFalse();
    assertThat(Files.exists(folder.resolve(".wexrun/state.db"))).as("nor noted").isFalse();
    here.run("run", "past", "--where", day, "--once");
    assertThat(rows("select count(*) as n, min(day) as d from scans"))
        .isEqualTo("[{\"n\":4,\"d\":\"2026-11-25\"}]");
    assertThat(here.run("run", "--preview").err())
        .contains("would take 1 file of 3", "1 file to take", "2 files taken before");
    assertThat(here.run("run", "--preview", "--json").json().get("past").get(0).toString())
        .contains("\"plan\":\"to take\"", "\"path\":{\"day\":\"2026-11-24\",\"depot\":\"north\"}");
    here.run("run", "past", "--again", "x", "--where", day, "--once");
    assertThat(rows("select count(*) as n from scans")).isEqualTo("[{\"n\":8}]");
    assertThat(here.run("tally").out()).contains("balanced").doesNotContain("NOT");
  }

  @Test
  void aChoiceThatCannotBeMadeIsTold() throws IOException {
    assertThat(here.run("run", "--where", "gate == 1").exit()).isEqualTo(1);
    assertThat(here.run("run", "--where", "day ==", "--preview").exit()).isEqualTo(1);
    write(
        "pipelines/q.yaml",
        "pipeline: q\nintake: {queue: lines, start: oldest}\nroute:\n  - to: drop\n");
    assertThat(here.run("run", "q", "--preview").exit()).isEqualTo(1);
    assertThat(here.run("run", "--preview").err()).contains("past would take").doesNotContain("q ");
    assertThat(here.run("run", "past", "--preview", "--where", "day > '2026'").err())
        .contains("'>' does not work on timestamp and string", "write the time as date(");
    Result queue = here.run("run", "q", "--where", "day == 1", "--once");
    assertThat(queue.exit()).isEqualTo(1);
    assertThat(queue.out() + queue.err())
        .contains("its intake takes queue, of which nothing can be chosen");
  }

  @Test
  void aFileIsTakenAwayByOnePipelineOnly() throws IOException {
    for (String name : List.of("a", "b")) {
      write(
          "pipelines/" + name + ".yaml",
          "pipeline: "
              + name
              + "\nintake: {drop: 'in/"
              + (name.equals("a") ? "*.log" : "**/x*")
              + "', then: delete}\nroute:\n  - to: drop\n");
    }
    write("in/x.log", "1\n");
    assertThat(here.run("check").out())
        .contains("[taken-twice] pipeline a also takes in/x.log away");
    Files.delete(folder.resolve("in/x.log"));
    assertThat(here.run("check").out()).doesNotContain("taken-twice");
  }

  @Test
  void whatIsMissingForAnOriginIsTold() throws IOException {
    write(
        "pipelines/past.yaml",
        """
        pipeline: past
        intake: {archive: 'old/{day:date}/{depot}/*'}
        shape:
          - origin: {a: path gate, b: line, c: where}
        route:
          - to: drop
        """);
    assertThat(here.run("check").out())
        .contains("the intake's path has no value 'gate'", "its values are day, depot")
        .contains("the intake counts no lines", "add line-numbers: true to it");
  }
}
