package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.FileTime;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Lookups, kinds and origins in the runs of a workspace. */
class ReferencesTest {
  private static final String PIPELINE =
      """
      pipeline: gate-load
      intake: {files: 'in/*.log', last-line: take}
      shape:
        - template: '{card} {ms:int}'
        - lookup: {file: ref/notes.csv, equal: {card: card}, add: {note: text}}
      route:
        - to: faults
      """;

  @TempDir private Path path;
  private Folder folder;

  @BeforeEach
  void write() {
    folder =
        Folder.of(path)
            .write("ref/notes.csv", "card,note\nA,first\n")
            .write("pipelines/gates.yaml", PIPELINE);
  }

  private void run() throws InterruptedException {
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
      run.await();
    }
  }

  private List<List<Object>> rows(String sql) {
    try (Workspace workspace = Workspace.open(path)) {
      return workspace.query("warehouse", sql).rows();
    }
  }

  private void change(String sql) {
    try (Workspace workspace = Workspace.open(path)) {
      workspace.change("warehouse", sql);
    }
  }

  @Test
  void eachRunLooksUpInTheFileAsItIs() throws Exception {
    folder.write("in/a.log", "A 1\nB 2\n");
    run();
    folder.write("ref/notes.csv", "card,note\nB,second\n");
    Files.setLastModifiedTime(path.resolve("ref/notes.csv"), FileTime.fromMillis(1000));
    folder.write("in/b.log", "A 3\nB 4\n");
    run();
    assertThat(rows("select card, note from faults order by card, note nulls last"))
        .hasToString("[[A, first], [A, null], [B, second], [B, null]]");
  }

  /**
   * As after a crash between the commit of rows and the tally: the state is older than the table.
   */
  @Test
  void aRangeBegunWithOneVersionOfAFileIsFinishedWithIt() throws Exception {
    folder.write(
        "pipelines/gates.yaml",
        PIPELINE.replace(
            "  - to: faults\n", "  - {when: note == 'first', to: faults}\n  - {to: scans}\n"));
    folder.write("in/a.log", "A 1\n");
    run();
    Files.copy(path.resolve(".wexrun/state.db"), path.resolve("state.db"));
    folder.append("in/a.log", "A 2\nA 3\n");
    run();
    putStateBack();
    folder.write("ref/notes.csv", "card,note\nA,second\n");
    folder.append("in/a.log", "A 4\n");
    run();
    assertThat(rows("select card, count(*) from faults group by card")).hasToString("[[A, 3]]");
    assertThat(rows("select ms from scans")).hasToString("[[4]]");
  }

  @Test
  void aRangeBegunWithOneVersionOfATableIsFinishedWithIt() throws Exception {
    change("create table notes as select 'A' as card, 'first' as note");
    folder.write(
        "pipelines/gates.yaml",
        PIPELINE
            .replace("file: ref/notes.csv", "table: warehouse.notes")
            .replace(
                "  - to: faults\n", "  - {when: note == 'first', to: faults}\n  - {to: scans}\n"));
    folder.write("in/a.log", "A 1\n");
    run();
    Files.copy(path.resolve(".wexrun/state.db"), path.resolve("state.db"));
    folder.append("in/a.log", "A 2\nA 3\n");
    run();
    putStateBack();
    change("update notes set note = null");
    folder.append("in/a.log", "A 4\n");
    run();
    assertThat(rows("select card, count(*) from faults group by card")).hasToString("[[A, 3]]");
    assertThat(rows("select ms from scans")).hasToString("[[4]]");
  }

  private void putStateBack() throws IOException {
    for (String each : List.of("state.db-wal", "state.db-shm")) {
      Files.deleteIfExists(path.resolve(".wexrun").resolve(each));
    }
    Files.copy(
        path.resolve("state.db"),
        path.resolve(".wexrun/state.db"),
        StandardCopyOption.REPLACE_EXISTING);
  }

  @Test
  void whatNobodyLooksUpAnyMoreIsNotKept() throws Exception {
    folder.write("in/a.log", "A 1\n");
    run();
    Path kept = path.resolve(".wexrun/references");
    Path first = names(kept).get(0);
    folder.write("ref/notes.csv", "card,note\nA,second\n");
    run();
    assertThat(names(kept)).as("it may still be needed").hasSize(2);
    for (Path file : names(kept)) {
      Files.setLastModifiedTime(file, FileTime.from(Instant.now().minus(Duration.ofDays(2))));
    }
    run();
    assertThat(names(kept)).hasSize(1).doesNotContain(first);
  }

  private static List<Path> names(Path folder) throws IOException {
    try (Stream<Path> files = Files.list(folder)) {
      return files.toList();
    }
  }

  @Test
  void aFileThatIsGoneDuringARunIsToldAndItsLastVersionGoesOn() throws Exception {
    folder.write("in/0.log", "A 0\n").append("pipelines/gates.yaml", "flush: {age: 100ms}\n");
    long deadline = System.nanoTime() + Duration.ofSeconds(30).toNanos();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(false))) {
      while (!notes(workspace).contains("first")) {
        assertThat(System.nanoTime()).isLessThan(deadline);
        Thread.sleep(20);
      }
      Files.delete(path.resolve("ref/notes.csv"));
      while (run.notices().stream()
          .noneMatch(n -> n.text().contains("cannot read ref/notes.csv"))) {
        assertThat(System.nanoTime()).as("%s", run.notices()).isLessThan(deadline);
        Thread.sleep(20);
      }
      folder.write("in/1.log", "A 1\n");
      run.stop();
      run.await();
    }
  }

  /** The notes in the table; none as long as the run has not made it. */
  private static String notes(Workspace workspace) {
    boolean made =
        !workspace
            .query("warehouse", "select 1 from duckdb_tables() where table_name = 'faults'")
            .rows()
            .isEmpty();
    return made
        ? workspace.query("warehouse", "select distinct note from faults").rows().toString()
        : "";
  }

  @Test
  void aRunThatGoesOnLooksUpInAFileThatWasChanged() throws Exception {
    folder.write("in/0.log", "A 0\n").append("pipelines/gates.yaml", "flush: {age: 100ms}\n");
    long deadline = System.nanoTime() + Duration.ofSeconds(30).toNanos();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(false))) {
      String notes = "";
      for (int file = 1; !notes.contains("second"); file++) {
        assertThat(System.nanoTime()).as("notes %s", notes).isLessThan(deadline);
        notes = notes(workspace);
        if (notes.contains("first")) {
          folder.write("ref/notes.csv", "card,note\nA,the second\n");
        }
        folder.write("in/" + file + ".log", "A 1\n");
        Thread.sleep(50);
      }
      run.stop();
      run.await();
    }
  }

  @Test
  void aTableOfTheStoreIsAReferenceToo() throws Exception {
    change("create table notes as select 'A' as card, 'stored' as note");
    folder.write(
        "pipelines/gates.yaml", PIPELINE.replace("file: ref/notes.csv", "table: warehouse.notes"));
    folder.write("in/a.log", "A 1\nB 2\n");
    run();
    assertThat(rows("select card, note from faults order by card"))
        .hasToString("[[A, stored], [B, null]]");
  }

  private List<String> mistakes(String from, String to) {
    folder.write("pipelines/gates.yaml", PIPELINE.replace(from, to));
    try (Workspace workspace = Workspace.open(path)) {
      return workspace.check().stream().map(Diagnostic::message).toList();
    }
  }

  @Test
  void filesAndTablesThatAreNotThereAreToldWithTheNearest() {
    assertThat(mistakes("ref/notes.csv", "ref/nots.csv"))
        .anyMatch(
            m -> m.contains("there is no file 'ref/nots.csv'; did you mean 'ref/notes.csv'?"));
    assertThat(mistakes("ref/notes.csv", "wexrun.yaml"))
        .anyMatch(m -> m.contains("is not a reference table: its name ends with"));
    assertThat(mistakes("file: ref/notes.csv", "table: nots"))
        .anyMatch(m -> m.contains("there is no table 'nots'"));
    folder.write("ref/notes.csv", "card,note\nA\n");
    assertThat(mistakes("x", "x")).anyMatch(m -> m.contains("ref/notes.csv:2: 1 values for 2"));
  }

  @Test
  void aRunStopsAtARecordOfNoKindAndGoesOnOnceItIsMended() throws IOException {
    String kinds =
        """
        pipeline: gate-load
        intake: {files: 'in/*.log', last-line: take}
        shape:
          - template: '{card} {ms:int}'
        kinds:
          a: {where: {card: A}, to: faults}
        others: stop
        """;
    folder.write("pipelines/gates.yaml", kinds).write("in/a.log", "A 1\nB 2\nA 3\n");
    assertThatThrownBy(this::run)
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("position 4 of in/a.log is of no kind")
        .hasMessageContaining("card is \"B\"");
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.tally("gate-load").counts().taken()).isZero();
    }
    folder.write("pipelines/gates.yaml", kinds.replace("others: stop", "others: dead"));
    try {
      run();
    } catch (InterruptedException e) {
      throw new AssertionError(e);
    }
    assertThat(rows("select count(*) from faults").get(0)).hasToString("[2]");
  }

  @Test
  void aRecordFromAQueueTellsWhenItWasAppended() throws Exception {
    folder.write(
        "pipelines/gates.yaml",
        """
        pipeline: in
        intake: {files: 'in/*.log', last-line: take}
        route:
          - to: gate-events
        ---
        pipeline: out
        intake: {queue: gate-events}
        shape:
          - template: '{card} {ms:int}'
          - origin: {source: source, taken: taken}
          - set: {note: 'source + " " + string(taken > timestamp("2026-01-01T00:00:00Z"))'}
        route:
          - to: faults
        """);
    folder.write("in/a.log", "A 1\n");
    run();
    assertThat(rows("select note from faults").get(0).get(0).toString())
        .matches("gate-events/\\d true");
  }
}
