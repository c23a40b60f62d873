package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Tables as they are defined and as they are in their stores. */
class TableCommandTest {
  private static final String WORKSPACE =
      """
      workspace: w
      stores:
        w: {duckdb: w.db}
        files: {folder: out, format: ndjson}
        down: {postgres: 'jdbc:postgresql://localhost:1/x'}
      tables:
        scans: {in: w, manage: MANAGE, columns: {n: int, note: text}}
        copies: {in: files, columns: {n: int}}
      """;

  @TempDir private Path folder;
  private Wexrun here;

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("pipelines/load.yaml"),
        """
        pipeline: load
        intake: {files: '*.log'}
        shape: [template: '{n:int} {note}']
        route: [to: [scans, copies]]
        """);
    Files.writeString(folder.resolve("a.log"), "1 x\n2 y\n");
    here = Wexrun.in(folder);
    write(WORKSPACE.replace("MANAGE", "never"));
  }

  private void write(String workspace) throws IOException {
    Files.writeString(folder.resolve("wexrun.yaml"), workspace);
  }

  @Test
  void aTableThatIsNeverMadeMustBeThereBeforeTheRun() throws IOException {
    here.run("sql", "--store", "w", "--write", "create table other (n int)");
    Result check = here.run("check");
    assertThat(check.exit()).isEqualTo(1);
    assertThat(check.out())
        .contains("table scans is not in its store, and is never made here (manage: never)")
        .containsIgnoringNewLines("create table \"scans\" (  \"n\" INTEGER,  \"note\" VARCHAR);");
    Result run = here.run("run", "--once");
    assertThat(run.exit()).isEqualTo(3);
    assertThat(run.err()).contains("there is no table scans in store w");
    here.run("sql", "--store", "w", "--write", "create table scans (n int, note text, own int)");
    assertThat(here.run("check").exit()).isZero();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("table").out())
        .containsPattern("scans +w +[1-9]\\d* +2 +never +as defined")
        .containsPattern("copies +files +[1-9]\\d* +1 +create +as defined");
  }

  @Test
  void aTableThatFollowsGetsTheColumnsThatItLacks() throws IOException {
    write(WORKSPACE.replace("MANAGE", "follow").replace(", note: text", ""));
    assertThat(here.run("table").out()).containsPattern("scans .* not there yet; the next run");
    assertThat(here.run("run", "--once").exit()).isZero();
    write(WORKSPACE.replace("MANAGE", "follow"));
    assertThat(here.run("check").exit()).isZero();
    Files.writeString(folder.resolve("b.log"), "3 z\n");
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("sql", "--store", "w", "select n, note from scans order by n").out())
        .containsPattern("3 +z");
    assertThat(here.run("table", "scans").out())
        .containsPattern("more: note text +a.log @8 +load +20\\d\\d-");
    write(WORKSPACE.replace("MANAGE", "follow").replace("n: int,", "n: text,"));
    Result table = here.run("table", "scans");
    assertThat(table.exit()).isEqualTo(1);
    assertThat(table.out()).contains("otherwise; a run would stop", "has another type");
  }

  @Test
  void whatDoesNotGoWellWithFoldersIsToldBeforeTheRun() throws IOException {
    write(WORKSPACE.replace("MANAGE", "create"));
    assertThat(here.run("check").out())
        .contains("[frequent-flushes] a flush every 5 seconds makes up to 17,280 files a day");
    Path load = folder.resolve("pipelines/load.yaml");
    String pipeline = Files.readString(load);
    Files.writeString(load, pipeline + "flush: {age: 2d, size: 900GB}\n");
    assertThat(here.run("check").out())
        .contains(
            "[late-flushes] what a quiet source brings is in no table for up to 48 hours",
            "[large-flushes] a flush never gets 900GB: all buffers together hold ");
    Files.writeString(load, pipeline);
    write(WORKSPACE.replace("MANAGE", "create").replace("{in: files,", "{in: files, key: n,"));
    assertThat(here.run("check").out()).contains("[bad-key] rows in a folder cannot");
  }

  @Test
  void whatTheCommandTellsMachinesAndWhoMistypes() throws IOException {
    write(WORKSPACE.replace("MANAGE", "create").replace("copies: {in: files", "copies: {in: down"));
    Result json = here.run("table", "--json");
    assertThat(json.exit()).isEqualTo(3);
    JsonNode tables = json.json().get("tables");
    assertThat(tables.get(0).get("there").asBoolean()).isFalse();
    assertThat(tables.get(1).get("failure").asString()).contains("cannot reach store down");
    assertThat(here.run("table", "scan").err())
        .contains("there is no table 'scan': did you mean 'scans'?");
    write("workspace: w\ntables:\n  scans: {in: wareh");
    Result half = here.run("table");
    assertThat(half.exit()).isEqualTo(1);
    assertThat(half.err()).contains("the workspace has mistakes: 'wexrun check' says where");
    write(WORKSPACE.replace("MANAGE", "folow"));
    assertThat(here.run("check").out()).contains("did you mean 'follow'?");
  }
}
