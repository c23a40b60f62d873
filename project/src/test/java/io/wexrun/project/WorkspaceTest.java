package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.queue.Producer;
import io.wexrun.queue.Queue;
import io.wexrun.queue.log.PartitionInfo;
import io.wexrun.state.EmbeddedState;
import io.wexrun.state.WorkspaceState;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class WorkspaceTest {
  private static final String LINES =
      """
      scan card=A ms=41 " day pass "
      scan card=B ms=- "x"
      fault card=C ms=7 "barrier stuck"
      scan card= ms=1 "x"
      ping card=D ms=1 "x"
      ping card=E ms=950 "x"
      broken
      """;

  @TempDir private Path path;

  private static void drain(Workspace workspace, String... names) throws InterruptedException {
    try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), names)) {
      run.await();
    }
  }

  private static List<List<Object>> query(Workspace workspace, String sql) {
    return workspace.query("warehouse", sql).rows();
  }

  private static void requireAllThere(Workspace workspace) {
    assertThat(query(workspace, "select card, ms from scans order by card"))
        .isEqualTo(List.of(List.of("A", 42), List.of("B", 0), List.of("C", 8), List.of("E", 951)));
    assertThat(query(workspace, "select card, note from faults order by card"))
        .isEqualTo(List.of(List.of("C", "barrier stuck"), List.of("E", "x")));
    Tally tally = workspace.tally("gate-load");
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.counts().taken()).isEqualTo(7);
    assertThat(tally.counts().copied()).isEqualTo(2);
    assertThat(tally.counts().dropped()).isEqualTo(1);
    assertThat(tally.counts().loaded()).isEqualTo(Map.of("scans", 4L, "faults", 2L));
    assertThat(tally.counts().dead())
        .isEqualTo(Map.of(Reason.MISSING_FIELD, 1L, Reason.NO_MATCH, 1L));
  }

  @Test
  void linesGoThroughTheQueueIntoTheTables() throws InterruptedException {
    Folder.of(path).write("in/a.log", LINES);
    try (Workspace workspace = Workspace.open(path)) {
      drain(workspace);
      requireAllThere(workspace);
      assertThat(workspace.tally("gate-intake").counts().loaded())
          .isEqualTo(Map.of("gate-events", 7L));
      List<DeadLetter> letters = workspace.deadLetters("gate-load");
      assertThat(letters)
          .extracting(DeadLetter::text)
          .containsExactlyInAnyOrder("broken", "scan card= ms=1 \"x\"");
      assertThat(letters)
          .extracting(letter -> letter.death().step())
          .containsExactlyInAnyOrder("shape[0].template", "shape[1].require");
      drain(workspace);
      requireAllThere(workspace);
    }
  }

  @Test
  void theSameWorkspaceMadeInJavaDoesTheSame() throws InterruptedException {
    new Folder(path).write("in/a.log", LINES);
    try (Workspace workspace = DefinitionTest.inJava(path)) {
      drain(workspace);
      requireAllThere(workspace);
    }
  }

  @Test
  void pipelinesMayRunOneAfterTheOther() throws InterruptedException {
    Folder.of(path).write("in/a.log", LINES);
    try (Workspace workspace = Workspace.open(path)) {
      drain(workspace, "gate-intake");
      assertThat(workspace.tally("gate-load").counts().taken()).isZero();
      drain(workspace, "gate-load");
      requireAllThere(workspace);
      assertThatThrownBy(() -> drain(workspace, "nope")).hasMessage("there is no pipeline nope");
    }
  }

  @Test
  void aProgramMayFeedTheQueueWhileThePipelineRuns() throws InterruptedException {
    Folder.of(path);
    try (Workspace workspace = Workspace.open(path);
        Producer producer = workspace.queues().open("gate-events").producer();
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(false), "gate-load")) {
      for (String line : LINES.split("\n")) {
        producer.append(line.getBytes(StandardCharsets.UTF_8));
      }
      producer.flush();
      while (run.progress().get("gate-load").taken() < 7) {
        Thread.onSpinWait();
      }
      run.close();
      requireAllThere(workspace);
    }
  }

  @Test
  void aPipelineRunsOnlyOnceAtATime() {
    Folder.of(path);
    try (Workspace workspace = Workspace.open(path);
        Workspace another = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(false), "gate-intake")) {
      assertThat(run.ended()).isFalse();
      assertThatThrownBy(() -> another.run(RunOptions.untilDrained(true), "gate-intake"))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining(
              "pipeline gate-intake is held by process " + ProcessHandle.current().pid());
    }
  }

  @Test
  void queuesAndDeadLettersCanBeReadWhileARunGoesOn() throws InterruptedException {
    Folder.of(path).write("in/a.log", LINES);
    try (Workspace workspace = Workspace.open(path);
        Workspace another = Workspace.open(path)) {
      drain(workspace);
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(false))) {
        assertThat(another.queues().read("gate-events").orElseThrow().describe()).hasSize(4);
        assertThat(another.deadLetters("gate-load")).hasSize(2);
        assertThat(another.tally("gate-load").counts().taken()).isEqualTo(7);
        assertThat(run.ended()).isFalse();
      }
    }
  }

  @Test
  void anIntakeFeedsSeveralQueuesAndEachPipelineReadsAQueueAtItsOwnPace()
      throws InterruptedException {
    String fan =
        """
        pipeline: fan
        intake: {files: 'in/*.log'}
        shape:
          - pairs: {fields: {card: text}}
        route:
          - when: card == "A"
            to: [gate-events, copies]
          - otherwise: copies
        ---
        pipeline: first
        intake: {queue: copies}
        route: [{otherwise: drop}]
        ---
        pipeline: second
        intake: {queue: copies}
        channel: {disk: 1MB}
        route: [{to: gate-events}]
        """;
    Folder.of(path)
        .write("wexrun.yaml", "queues: {gate-events: {partitions: 2}, copies: {}}\n")
        .write("pipelines/gates.yaml", fan)
        .write("in/a.log", "card=A\ncard=B\ncard=A\n");
    try (Workspace workspace = Workspace.open(path)) {
      drain(workspace, "fan", "first");
      assertThat(workspace.tally("fan").counts().copied()).isEqualTo(2);
      assertThat(workspace.tally("first").counts().dropped()).isEqualTo(3);
      assertThat(workspace.queues().readers("copies").get("first")).containsExactly(3);
      assertThat(workspace.queues().readers("copies").get("second")).isEmpty();
      drain(workspace);
      assertThat(workspace.tally("first").counts().taken()).isEqualTo(3);
      assertThat(workspace.tally("second").counts().loaded()).isEqualTo(Map.of("gate-events", 3L));
      assertThat(workspace.queues().channels()).isEqualTo(Map.of("channel/second", 0L));
      try (Queue events = workspace.queues().read("gate-events").orElseThrow()) {
        assertThat(events.describe().stream().mapToLong(PartitionInfo::records).sum()).isEqualTo(5);
      }
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"", "channel: {disk: 1MB}"})
  void aPipelineChangedAfterACrashFirstFinishesWhatItBegan(String channel)
      throws InterruptedException {
    String direct =
        """
        pipeline: direct
        intake: {files: 'in/*.log'}
        CHANNEL
        shape:
          - template: '{event} card={card} ms={ms:int?} "{note}"'
        route:
          - when: event == "scan"
            to: scans
          - otherwise: dead
        """
            .replace("CHANNEL", channel);
    Folder folder =
        Folder.of(path)
            .write("pipelines/gates.yaml", direct)
            .write(
                "in/a.log",
                "scan card=A ms=1 \"\"\nfault card=B ms=2 \"\"\nscan card=C ms=3 \"\"\n");
    try (Workspace workspace = Workspace.open(path)) {
      drain(workspace);
    }
    // As after a crash between the targets' commits and the tally: the books know nothing of it.
    try (WorkspaceState state = EmbeddedState.open(path.resolve(".wexrun"))) {
      assertThat(state.texts().current("direct")).isPresent();
    }
    forgetTally();
    folder
        .write("pipelines/gates.yaml", direct.replace("scan\"", "fault\""))
        .append("in/a.log", "scan card=D ms=4 \"\"\nfault card=E ms=5 \"\"\n");
    try (Workspace workspace = Workspace.open(path)) {
      drain(workspace);
      assertThat(query(workspace, "select card from scans order by card"))
          .isEqualTo(List.of(List.of("A"), List.of("C"), List.of("E")));
      assertThat(workspace.deadLetters("direct"))
          .extracting(l -> l.text().substring(0, 12))
          .containsExactly("fault card=B", "scan card=D ".substring(0, 12));
      Tally tally = workspace.tally("direct");
      assertThat(tally.counts().taken()).isEqualTo(5);
      assertThat(tally.balanced()).isTrue();
    }
  }

  /** Which records die depends on the tables' definitions, too. */
  @ParameterizedTest
  @ValueSource(booleans = {false, true})
  void aTableChangedAfterACrashFirstFinishesWhatItBegan(boolean alsoInItsStore)
      throws InterruptedException {
    String tables =
        """
        stores: {warehouse: {duckdb: w.db}}
        tables:
          all: {in: warehouse, columns: {card: text, ms: int}}
          shares: {in: warehouse, columns: {card: text, share: SHARE}}
          sums: {in: warehouse, group: card, columns: {card: text, ms: long = sum(ms)}}
        """;
    Folder folder =
        new Folder(path)
            .write("wexrun.yaml", tables.replace("SHARE", "'long = ms + 1'"))
            .write(
                "pipelines/p.yaml",
                """
                pipeline: p
                intake: {files: 'a.log'}
                shape: [template: '{card} {ms:int}']
                route: [to: [all, shares, sums]]
                """)
            .write("a.log", "A 1\nB 0\nC 2\n");
    try (Workspace workspace = Workspace.open(path)) {
      drain(workspace);
    }
    forgetTally();
    // From now on a record with nothing to divide by dies; what was begun is not touched by it.
    String share = alsoInItsStore ? "'double = 10.0 / double(ms)'" : "'long = 10 / ms'";
    folder.write("wexrun.yaml", tables.replace("SHARE", share)).append("a.log", "D 0\nE 5\n");
    try (Workspace workspace = Workspace.open(path)) {
      if (alsoInItsStore) {
        workspace.change("warehouse", "alter table shares alter column share set data type double");
      }
      drain(workspace);
      assertThat(query(workspace, "select card, share from shares order by card"))
          .hasToString(
              alsoInItsStore
                  ? "[[A, 2.0], [B, 1.0], [C, 3.0], [D, Infinity], [E, 2.0]]"
                  : "[[A, 2], [B, 1], [C, 3], [E, 2]]");
      String others = alsoInItsStore ? "A, B, C, D, E" : "A, B, C, E";
      assertThat(query(workspace, "select string_agg(card, ', ' order by card) from \"all\""))
          .hasToString("[[" + others + "]]");
      assertThat(query(workspace, "select string_agg(card, ', ' order by card) from sums"))
          .hasToString("[[" + others + "]]");
      Tally tally = workspace.tally("p");
      assertThat(tally.counts().taken()).isEqualTo(5);
      assertThat(tally.counts().allDead()).isEqualTo(alsoInItsStore ? 0 : 1);
      assertThat(tally.balanced()).isTrue();
    }
  }

  private void forgetTally() {
    try (var connection =
            DriverManager.getConnection("jdbc:sqlite:" + path.resolve(".wexrun/state.db"));
        var statement = connection.createStatement()) {
      for (String table : List.of("source_tally", "loaded_tally", "dead_tally")) {
        statement.execute("delete from " + table);
      }
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
  }
}
