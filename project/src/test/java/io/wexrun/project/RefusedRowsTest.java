package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.facts.RunFacts;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Rows that a database refuses: what is counted, and when a pipeline stops for them. */
class RefusedRowsTest {
  private static final int ROWS = 4000;

  @TempDir private Path base;
  private Folder folder;

  @BeforeEach
  void write() {
    StringBuilder lines = new StringBuilder();
    for (int i = 0; i < ROWS; i++) {
      lines.append(i).append(' ').append(i % 2 == 0 ? -1 : i).append('\n');
    }
    folder =
        new Folder(base)
            .write(
                "wexrun.yaml",
                """
                workspace: w
                stores: {w: {duckdb: w.db}}
                tables: {t: {in: w, columns: {id: long, ms: int}}}
                """)
            .write("in/a.log", lines.toString());
    pipeline("");
    try (Workspace workspace = Workspace.open(folder.path())) {
      workspace.change("w", "create table t (id bigint, ms integer check (ms >= 0))");
    }
  }

  private void pipeline(String deaths) {
    folder.write(
        "pipelines/p.yaml",
        """
        pipeline: p
        intake: {files: 'in/*.log'}
        shape: [{template: '{id:long} {ms:int}'}]
        route: [to: t]
        %s
        """
            .formatted(deaths));
  }

  private static void run(Workspace workspace) throws InterruptedException {
    try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
      run.await();
    }
  }

  private static RunFacts last(Workspace workspace) {
    List<RunFacts> runs = workspace.runs().latest(List.of("p"), 1);
    return runs.get(0);
  }

  @Test
  void theFirstFlushWithRefusedRowsIsCounted() throws InterruptedException {
    try (Workspace workspace = Workspace.open(folder.path())) {
      run(workspace);
      assertThat(workspace.tally("p").counts().loaded()).isEqualTo(Map.of("t", ROWS / 2L));
      assertThat(last(workspace).loaded()).isEqualTo(ROWS / 2);
      assertThat(last(workspace).dead()).isEqualTo(ROWS / 2);
    }
  }

  @Test
  void tooManyStopThePipelineBeforeAnyIsLoadedAndTheNextRunContinues() throws InterruptedException {
    pipeline("deaths: {stop: 20%, of: 1000}");
    try (Workspace workspace = Workspace.open(folder.path())) {
      assertThatThrownBy(() -> run(workspace))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("a store refuses 2,000 of 4,000 rows");
      assertThat(workspace.tally("p").counts().taken()).isZero();
      assertThat(last(workspace).how()).isEqualTo("held");
      assertThatThrownBy(() -> run(workspace))
          .as("what is accounted for now stops it, too, as it always did")
          .hasMessageContaining("2,000 of the last 4,000 records died");
      Tally tally = workspace.tally("p");
      assertThat(tally.balanced()).isTrue();
      assertThat(tally.counts().loaded()).isEqualTo(Map.of("t", ROWS / 2L));
      assertThat(tally.counts().dead()).isEqualTo(Map.of(Reason.REFUSED, ROWS / 2L));
      run(workspace);
    }
  }
}
