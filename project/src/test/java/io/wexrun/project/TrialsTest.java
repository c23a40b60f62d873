package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A pipeline tried on its queue, a file or bytes; nothing is written by it. */
class TrialsTest {
  @TempDir private Path path;
  private Folder folder;

  @BeforeEach
  void makeWorkspace() {
    folder = Folder.of(path);
  }

  private static List<String> ends(List<BlockTrial> tried) {
    List<String> ends = new ArrayList<>();
    for (BlockTrial each : tried) {
      for (RecordTrial trial : each.trials()) {
        String end =
            trial.death().map(RecordTrial.Death::reason).orElse(trial.targets().toString());
        ends.add(new String(trial.text(), StandardCharsets.UTF_8) + " -> " + end);
      }
    }
    return ends;
  }

  @Test
  void theFirstRecordsOfAQueueAreTriedAndStayThere() throws Exception {
    folder.write("in/a.log", "scan card=1 ms=5 \"x\"\nfault card=2 ms=6 \"\"\nbroken\n");
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> workspace.tryOut("gate-load", 10))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("queue gate-events has no records yet");
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), "gate-intake")) {
        run.await();
      }
      assertThat(ends(workspace.tryOut("gate-load", 10)))
          .containsExactlyInAnyOrder(
              "scan card=1 ms=5 \"x\" -> [scans]",
              "fault card=2 ms=6 \"\" -> [scans, faults]",
              "broken -> no-match");
      assertThat(ends(workspace.tryOut("gate-load", 2))).hasSize(2);
      assertThat(workspace.tally("gate-load").counts().taken()).isZero();
      assertThat(Files.exists(path.resolve("warehouse.db"))).isFalse();
    }
  }

  @Test
  void aFileIsReadToItsLastByteAndBytesAsLines() throws Exception {
    folder.write("sample.log", "scan card=1 ms=5 \"x\"\nscan card=2 ms=x \"\"");
    try (Workspace workspace = Workspace.open(path)) {
      List<String> expected =
          List.of("scan card=1 ms=5 \"x\" -> [scans]", "scan card=2 ms=x \"\" -> bad-value");
      assertThat(ends(workspace.tryOut("gate-load", path.resolve("sample.log"), 10)))
          .isEqualTo(expected);
      byte[] bytes = Files.readAllBytes(path.resolve("sample.log"));
      assertThat(ends(workspace.tryOut("gate-load", bytes, 10))).isEqualTo(expected);
      assertThat(ends(workspace.tryOut("gate-load", bytes, 1))).hasSize(1);
    }
  }

  @Test
  void stagesEndWhereARecordDies() {
    try (Workspace workspace = Workspace.open(path)) {
      byte[] lines = "scan card= ms=5 \"x\"\nscan card=1 ms=5 \" y\"\n".getBytes();
      List<RecordTrial> trials = workspace.tryOut("gate-load", lines, 10).get(0).trials();
      assertThat(trials.get(0).stages())
          .extracting(RecordTrial.Stage::step)
          .containsExactly("shape[0].template");
      assertThat(trials.get(0).death().orElseThrow().field()).isEqualTo("card");
      assertThat(trials.get(1).stages())
          .extracting(RecordTrial.Stage::step)
          .containsExactly("shape[0].template", "shape[1].require", "shape[2].set");
      assertThat(trials.get(1).stages().get(2).rows().get(0))
          .containsEntry("ms", "6")
          .containsEntry("note", "y");
    }
  }

  @Test
  void aWorkspaceWithMistakesTriesNothing() {
    folder.write("pipelines/gates.yaml", Folder.PIPELINES.replace("require: card", "require: x"));
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> workspace.tryOut("gate-load", new byte[0], 1))
          .isInstanceOf(MistakesException.class);
      assertThat(workspace.fields("gate-load")).containsKey("shape[0].template");
      assertThatThrownBy(() -> workspace.tryOut("nosuch", 1))
          .isInstanceOf(IllegalArgumentException.class);
    }
  }

  @Test
  void keptCasesHoldUntilThePipelineChanges() {
    try (Workspace workspace = Workspace.open(path)) {
      byte[] lines = "scan card=1 ms=5 \"it's\"\nbroken: {x}\n# y\n".getBytes();
      workspace.keepCases("gate-load", workspace.tryOut("gate-load", lines, 10).get(0).trials());
    }
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check()).isEmpty();
    }
    folder.write("pipelines/gates.yaml", Folder.PIPELINES.replace("ms + 1", "ms + 2"));
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check())
          .singleElement()
          .satisfies(d -> assertThat(d.message()).contains("ms is \"7\", not \"6\""));
    }
  }
}
