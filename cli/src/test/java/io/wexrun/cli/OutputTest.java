package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Data on standard output, messages on standard error, colour only for people. */
class OutputTest {
  @TempDir private Path folder;

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: output
        stores: {here: {duckdb: here.db}}
        tables:
          lines:
            in: here
            columns: {n: int required, text: text}
        """);
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("pipelines/lines.yaml"),
        """
        pipeline: lines
        intake: {files: '*.log'}
        shape:
          - template: '{n:int} {text}'
        route:
          - to: lines
        """);
    Files.writeString(folder.resolve("a.log"), "1 one\n2 zwölf\nx three\nlast");
  }

  @Test
  void colourIsForTerminalsAndNeverWithNoColor() {
    Wexrun terminal = new Wexrun(folder, "out,err");
    assertThat(terminal.run("tally").out()).contains("\u001b[32mbalanced");
    assertThat(terminal.runLimited("export NO_COLOR=1", "tally").out()).doesNotContain("\u001b");
    assertThat(Wexrun.in(folder).run("tally").out()).doesNotContain("\u001b");
  }

  @Test
  void aRunTellsWhatItTookAndWhatItLeft() {
    Wexrun here = Wexrun.in(folder);
    Result run = here.run("run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    assertThat(run.err())
        .contains(
            "lines: 3 taken", "a.log: 4 bytes stand after the last line end", "last-line: take");
    assertThat(run.out()).contains("balanced").doesNotContain("taken:");
    assertThat(here.run("run", "--once", "--json").json().get("taken").get("lines").asInt())
        .isZero();
  }

  @Test
  void anAnswerIsATableOrJson() {
    Wexrun here = Wexrun.in(folder);
    here.run("run", "--once");
    Result table = here.run("sql", "select n, text, null as nothing from lines order by n");
    assertThat(table.out())
        .isEqualTo(
            """
            n  text   nothing
            1  one    ·
            2  zwölf  ·
            """);
    assertThat(table.err()).isEqualTo("2 rows\n");
    assertThat(here.run("sql", "--json", "select text from lines where n = 2").out())
        .isEqualTo("{\"columns\":[\"text\"],\"rows\":[{\"text\":\"zwölf\"}]}\n");
  }

  @Test
  void aDeadLetterIsShownWithItsPlaceAndReason() {
    Wexrun here = Wexrun.in(folder);
    here.run("run", "--once");
    assertThat(here.run("dead", "--list").out())
        .isEqualTo(
            """
            bad-value  a.log @15  lines shape[0].template  field n  letter 0@0
              "x" is not an int
              x three
            """);
    var letter = here.run("dead", "--list", "--json").json().get("letters").get(0);
    assertThat(letter.get("rawBase64").asString()).isEqualTo("eCB0aHJlZQ==");
    assertThat(letter.get("position").asInt()).isEqualTo(15);
  }

  @Test
  void checkNamesWhatRunsRowByRow() throws IOException {
    Path pipeline = folder.resolve("pipelines/lines.yaml");
    String text =
        Files.readString(pipeline).replace("- to:", "- when: text.substring(1) != 'ne'\n    to:");
    Files.writeString(pipeline, text + "  - otherwise: drop\n");
    Result check = Wexrun.in(folder).run("check", "--verbose");
    assertThat(check.exit()).as(check.out()).isZero();
    assertThat(check.out())
        .isEqualTo("lines runs row by row: route[0].when: substring() at character 15\n");
  }

  @Test
  void tryShowsWhatEachStepMakesOfARecordAndWritesNothing() throws IOException {
    Path pipeline = folder.resolve("pipelines/lines.yaml");
    String steps = "  - set: {n: n * 2}\n  - default: {text: none}\nroute:";
    Files.writeString(pipeline, Files.readString(pipeline).replace("route:", steps));
    Wexrun here = Wexrun.in(folder);
    Result tried = here.run("try", "lines", "a.log");
    assertThat(tried.out())
        .isEqualTo(
            """
            @0  1 one
               1 template  +n=1  +text=one
               2 set       ~n=2
               3 default   as it was
                 goes to lines

            @6  2 zwölf
               1 template  +n=2  +text=zwölf
               2 set       ~n=4
               3 default   as it was
                 goes to lines

            @15  x three
                 dies: bad-value at shape[0].template, field n: "x" is not an int

            @23  last
                 dies: no-match at shape[0].template, field n: no " " after 'n'

            4 tried, 4 shown
            went to          records
            dead                   2
            dead, bad-value        1
            dead, no-match         1
            lines                  2
            """);
    assertThat(folder.resolve("here.db")).doesNotExist();
    assertThat(folder.resolve(".wexrun")).doesNotExist();
    assertThat(here.run("try", "lines", "--only", "no-match", "--json").json().get("records"))
        .isEmpty();
    assertThat(here.run("try", "lines", "--limit", "1", "--step", "1").out())
        .contains("+n=1")
        .doesNotContain("set", "goes to");
    assertThat(here.run("try", "lines", "none.log").exit()).isEqualTo(3);
    assertThat(here.run("try", "lines", "--only", "liens").err()).contains("did you mean 'lines'?");
  }

  @Test
  void tryTakesRecordsFromStandardInputAndKeepsThemAsCases() throws IOException {
    Wexrun here = Wexrun.in(folder);
    Result tried = here.runWith("5 five\nx six\n", "try", "lines", "-", "--save-case");
    assertThat(tried.out()).contains("+n=5  +text=five", "dies: bad-value", "2 tried, 2 shown");
    assertThat(tried.err()).startsWith("kept 2 in ");
    assertThat(Files.readString(folder.resolve("cases/lines.yaml")))
        .isEqualTo(
            """
            - record: 5 five
              to: [lines]
              rows:
                - n: '5'
                  text: five
            - record: x six
              dies: bad-value
              field: n
            """);
    assertThat(here.run("check").exit()).isZero();
    Path pipeline = folder.resolve("pipelines/lines.yaml");
    Files.writeString(pipeline, Files.readString(pipeline).replace("{n:int}", "{n:int?}x"));
    Result check = here.run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out()).contains("cases/lines.yaml:1:3: error [case-failed]");
  }

  @Test
  void checkShowsTheFieldsBehindEachStep() throws IOException {
    Path pipeline = folder.resolve("pipelines/lines.yaml");
    String steps = "  - set: {long: n > 5}\n  - remove: text\nroute:";
    Files.writeString(pipeline, Files.readString(pipeline).replace("route:", steps));
    assertThat(Wexrun.in(folder).run("check", "--show").out())
        .endsWith(
            """
            lines
            field  1 template  2 set  3 remove
            n      int         int    int
            text   text        text   ·
            long   ·           bool?  bool?
            """);
  }

  @Test
  void aRunInWhichMostRecordsDieSaysSo() throws IOException {
    Files.writeString(folder.resolve("b.log"), "no number\n".repeat(9));
    assertThat(Wexrun.in(folder).run("run", "--once").err())
        .contains("most records of lines died: 'wexrun dead lines' says why");
  }
}
