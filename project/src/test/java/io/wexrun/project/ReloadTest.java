package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.project.facts.PipelineStatus;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Files of a workspace that are edited while its pipelines run. */
class ReloadTest {
  private static final RunOptions GOES_ON =
      RunOptions.untilDrained(false).withRetry(Duration.ofMillis(50), Duration.ofMillis(200));

  private static final String WORKSPACE =
      """
      workspace: edited
      stores: {s: {duckdb: s.db}}
      tables:
        a: {in: s, columns: {n: long, text: text}}
        b: {in: s, columns: {n: long}}
      """;

  private static final String A =
      """
      pipeline: a
      intake: {files: 'a/*.log'}
      shape:
        - template: '{n:long}'
        - set: {text: '"old"'}
      route: [{to: a}]
      flush: {age: 50ms}
      """;

  private static final String B =
      """
      pipeline: b
      intake: {files: 'b/*.log'}
      shape: [{template: '{n:long}'}]
      route: [{to: b}]
      flush: {age: 50ms}
      """;

  @TempDir private Path path;
  private final List<Notice> told = new CopyOnWriteArrayList<>();
  private final RunListener listener =
      new RunListener() {
        @Override
        public void told(Notice notice) {
          told.add(notice);
        }
      };

  private Folder folder() {
    Folder folder = new Folder(path);
    folder.write("wexrun.yaml", WORKSPACE);
    folder.write("pipelines/a.yaml", A);
    folder.write("pipelines/b.yaml", B);
    folder.write("a/1.log", "1\n2\n");
    return folder.write("b/1.log", "1\n");
  }

  private void edit(String file, String text) throws Exception {
    Path whole = path.resolve(file);
    Files.createDirectories(whole.getParent());
    Files.writeString(whole, text);
  }

  private void append(String file, String lines) throws Exception {
    Files.writeString(path.resolve(file), lines, StandardOpenOption.APPEND);
  }

  private void until(BooleanSupplier holds) throws InterruptedException {
    for (int i = 0; i < 3000 && !holds.getAsBoolean(); i++) {
      Thread.sleep(10);
    }
    assertThat(holds.getAsBoolean()).as("%s", told).isTrue();
  }

  private static long loaded(Workspace workspace, String pipeline) {
    return workspace.tally(pipeline).counts().allLoaded();
  }

  private static Instant since(WorkspaceRun run, String pipeline) {
    return run.status().stream()
        .filter(s -> s.pipeline().equals(pipeline))
        .map(PipelineStatus::since)
        .findFirst()
        .orElseThrow();
  }

  private String asked(Workspace workspace, String sql) {
    return workspace.query("s", sql).rows().toString();
  }

  private boolean wasTold(String text) {
    return told.stream().anyMatch(notice -> notice.text().contains(text));
  }

  @Test
  void anEditedPipelineGoesOnWithItsNewTextAndTheOthersAreNotTouched() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "a") == 2 && loaded(workspace, "b") == 1);
      Instant before = since(run, "b");
      edit("pipelines/a.yaml", A.replace("old", "new"));
      until(() -> wasTold("the files were changed: changed a"));
      append("a/1.log", "3\n");
      append("b/1.log", "2\n");
      until(() -> loaded(workspace, "a") == 3 && loaded(workspace, "b") == 2);
      assertThat(asked(workspace, "select text, count(*) from a group by text order by 1"))
          .isEqualTo("[[new, 1], [old, 2]]");
      assertThat(since(run, "b")).isEqualTo(before);
    }
  }

  @Test
  void whatIsWrongIsToldOnceAndNothingChanges() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "a") == 2);
      Instant before = since(run, "a");
      edit("pipelines/a.yaml", A.replace("{n:long}", "{n:lonk}"));
      until(() -> wasTold("the changed files have mistakes"));
      assertThat(told.get(told.size() - 1).text())
          .contains("pipelines/a.yaml:4", "lonk", "'wexrun check' says all");
      append("a/1.log", "3\n");
      until(() -> loaded(workspace, "a") == 3);
      assertThat(since(run, "a")).isEqualTo(before);
      Thread.sleep(2000);
      assertThat(told.stream().filter(n -> n.text().contains("mistakes"))).hasSize(1);
      edit("pipelines/a.yaml", A.replace("old", "mended"));
      until(() -> wasTold("changed a"));
      append("a/1.log", "4\n");
      until(() -> loaded(workspace, "a") == 4);
      assertThat(asked(workspace, "select n from a where text = 'mended'")).isEqualTo("[[4]]");
    }
  }

  @Test
  void newPipelinesAreStartedAndRemovedOnesStopped() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "b") == 1);
      Files.delete(path.resolve("pipelines/b.yaml"));
      edit("wexrun.yaml", WORKSPACE + "  c: {in: s, columns: {n: long}}\n");
      edit("pipelines/c.yaml", B.replace("pipeline: b", "pipeline: c").replace("to: b", "to: c"));
      until(() -> wasTold("started c; stopped b"));
      until(() -> loaded(workspace, "c") == 1);
      assertThat(run.status()).extracting(PipelineStatus::pipeline).containsExactly("a", "c");
      append("b/1.log", "2\n");
      until(() -> loaded(workspace, "c") == 2);
      assertThat(loaded(workspace, "b")).isEqualTo(1);
      edit("pipelines/b.yaml", B);
      until(() -> loaded(workspace, "b") == 2);
    }
  }

  @Test
  void aPipelineThatIsRenamedDoesNotLoadEverythingAgain() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "b") == 1);
      edit("pipelines/b.yaml", B.replace("pipeline: b", "pipeline: c"));
      until(() -> wasTold("pipeline b seems to be renamed to c"));
      append("b/1.log", "2\n");
      until(() -> loaded(workspace, "b") == 2);
      assertThat(asked(workspace, "select count(*) from b")).isEqualTo("[[2]]");
      edit("pipelines/b.yaml", B);
      until(() -> wasTold("no pipeline is concerned"));
    }
  }

  @Test
  void aStoreThatIsMovedIsOpenedInItsNewPlace() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path)) {
      try (WorkspaceRun first = workspace.run(RunOptions.untilDrained(true))) {
        first.await();
      }
    }
    Files.copy(path.resolve("s.db"), path.resolve("moved.db"));
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> run.status().stream().allMatch(s -> s.state() == PipelineStatus.State.RUNNING));
      edit("wexrun.yaml", WORKSPACE.replace("s.db", "moved.db"));
      until(() -> wasTold("changed a, b"));
      append("a/1.log", "3\n");
      until(() -> loaded(workspace, "a") == 3);
      assertThat(asked(workspace, "select count(*) from a")).isEqualTo("[[3]]");
      assertThat(run.ended()).isFalse();
    }
  }

  @Test
  void aPipelineMayGoOnIntoANewStore() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "a") == 2 && loaded(workspace, "b") == 1);
      edit(
          "wexrun.yaml",
          WORKSPACE
              .replace(
                  "stores: {s: {duckdb: s.db}}", "stores: {s: {duckdb: s.db}, o: {duckdb: o.db}}")
              .replace("b: {in: s,", "b2: {in: o,"));
      edit("pipelines/b.yaml", B.replace("to: b", "to: b2"));
      until(() -> wasTold("changed b"));
      append("b/1.log", "2\n");
      until(() -> loaded(workspace, "b") == 2);
      assertThat(workspace.query("o", "select n from b2").rows()).hasToString("[[2]]");
      assertThat(run.ended()).isFalse();
    }
  }

  @Test
  void manyEditsLoseAndDoubleNothing() throws Exception {
    folder();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      int lines = 2;
      for (int round = 0; round < 6; round++) {
        edit("pipelines/a.yaml", A.replace("old", "text" + round));
        long until = System.nanoTime() + 1_600_000_000L;
        while (System.nanoTime() < until) {
          append("a/1.log", (100 + lines++) + "\n");
          Thread.sleep(5);
        }
      }
      int all = lines;
      until(() -> loaded(workspace, "a") == all);
      assertThat(asked(workspace, "select count(*), count(distinct n) from a"))
          .isEqualTo("[[" + all + ", " + all + "]]");
      assertThat(told.stream().filter(n -> n.text().contains("changed a")).count())
          .isGreaterThan(2);
      assertThat(run.ended()).isFalse();
    }
  }
}
