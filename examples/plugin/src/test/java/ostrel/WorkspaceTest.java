package ostrel;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The three of them in a workspace: from an outbox, through a step, into a store. */
class WorkspaceTest {
  @TempDir private Path folder;

  @BeforeEach
  void makeWorkspace() throws IOException {
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: ostrel-doors
        stores: {depot: {sqlite: s.db}}
        tables:
          doors:
            in: depot
            columns: {time: timestamp, door: int, rush: bool}
        """);
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("pipelines/doors.yaml"),
        """
        pipeline: doors
        intake: {outbox: outbox.db}
        shape:
          - template: '{time:timestamp} {door:int}'
          - rush_hour: time
        route:
          - to: doors
        """);
    new Sqlite(folder)
        .run("create table doors (time text, door integer check (door < 9), rush integer)");
  }

  private Tally run() throws InterruptedException {
    try (Workspace workspace = Workspace.open(folder);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
      run.await();
      return workspace.tally("doors");
    }
  }

  @Test
  void whatTheStoreRefusesDiesAndTheOutboxIsClearedOfWhatIsDone() throws Exception {
    Path outbox = folder.resolve("outbox.db");
    Outbox.append(outbox, "tram-04", "2026-05-04T05:30:00Z 1", "2026-05-04T10:00:00Z 9", "?");
    Outbox.append(outbox, "tram-05", "2026-05-04T10:00:00Z 2");
    Tally tally = run();
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.counts().taken()).isEqualTo(4);
    assertThat(tally.counts().dead())
        .containsEntry(Reason.REFUSED, 1L)
        .containsEntry(Reason.NO_MATCH, 1L);
    assertThat(new Sqlite(folder).rows("select door, rush from doors order by door"))
        .isEqualTo(List.of(List.of(1, 1), List.of(2, 0)));

    Outbox.append(outbox, "tram-04", "2026-05-04T11:00:00Z 3");
    assertThat(run().counts().taken()).isEqualTo(5);
    assertThat(new Sqlite(folder).rows("select count(*) from doors"))
        .isEqualTo(List.of(List.of(3)));
  }
}
