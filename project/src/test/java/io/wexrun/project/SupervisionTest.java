package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.facts.PipelineStatus.State;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Pipelines side by side: one that fails, waits or is paused does not touch the others. */
class SupervisionTest {
  private static final RunOptions GOES_ON =
      RunOptions.untilDrained(false).withRetry(Duration.ofMillis(50), Duration.ofMillis(200));

  @TempDir private Path path;
  private final List<Notice> told = new CopyOnWriteArrayList<>();
  private final RunListener listener =
      new RunListener() {
        @Override
        public void told(Notice notice) {
          told.add(notice);
        }
      };

  private Folder twoStores() {
    Folder folder = new Folder(path);
    folder.write(
        "wexrun.yaml",
        """
        workspace: two
        stores: {good: {duckdb: good.db}, bad: {duckdb: bad/bad.db}}
        tables:
          a: {in: good, columns: {n: long}}
          b: {in: bad, columns: {n: long}}
        """);
    folder.write(
        "pipelines/two.yaml",
        """
        pipeline: good
        intake: {files: 'in/*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: a}]
        flush: {age: 50ms}
        ---
        pipeline: bad
        intake: {files: 'in/*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: b}]
        flush: {age: 50ms}
        """);
    folder.write("bad/readme", "where a store is");
    return folder.write("in/a.log", "1\n2\n3\n");
  }

  private static void until(BooleanSupplier holds) throws InterruptedException {
    for (int i = 0; i < 3000 && !holds.getAsBoolean(); i++) {
      Thread.sleep(10);
    }
    assertThat(holds.getAsBoolean()).isTrue();
  }

  private static PipelineStatus status(WorkspaceRun run, String pipeline) {
    return run.status().stream()
        .filter(s -> s.pipeline().equals(pipeline))
        .findFirst()
        .orElseThrow();
  }

  private static void drain(Workspace workspace) throws InterruptedException {
    try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true))) {
      run.await();
    }
  }

  private static long left(WorkspaceRun run) {
    return status(run, "p").situation().backlog().map(Backlog::left).orElse(-1L);
  }

  private static long loaded(Workspace workspace, String pipeline) {
    return workspace.tally(pipeline).counts().allLoaded();
  }

  @Test
  void onePipelineFailsAndComesBackWhileTheOtherGoesOn() throws Exception {
    Folder folder = twoStores();
    Files.move(path.resolve("bad"), path.resolve("away"));
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "good") == 3);
      until(() -> status(run, "bad").state() != State.STARTING && !told.isEmpty());
      folder.write("in/b.log", "4\n");
      until(() -> loaded(workspace, "good") == 4);
      assertThat(loaded(workspace, "bad")).isZero();
      long before = told.size();
      Thread.sleep(600);
      assertThat(told.size()).as("the same is said once: %s", told).isEqualTo(before);
      assertThat(run.ended()).isFalse();
      Files.move(path.resolve("away"), path.resolve("bad"));
      until(() -> loaded(workspace, "bad") == 4);
      until(
          () ->
              told.stream()
                  .anyMatch(n -> n.kind() == Notice.Kind.GOES_ON && n.pipeline().equals("bad")));
    }
  }

  private Folder limited(String deaths) {
    Folder folder = new Folder(path);
    folder.write(
        "wexrun.yaml",
        "workspace: w\nstores: {s: {duckdb: s.db}}\ntables: {t: {in: s, columns: {n: long}}}\n");
    folder.write("pipelines/p.yaml", limitedPipeline(deaths));
    return folder.write("in/a.log", "1\n".repeat(17) + "x\n".repeat(3));
  }

  private static String limitedPipeline(String deaths) {
    return "pipeline: p\nintake: {files: 'in/*.log'}\nshape: [{template: '{n:long}'}]\n"
        + "route: [{to: t}]\nflush: {age: 20ms}\ndeaths: "
        + deaths
        + "\n";
  }

  private boolean wasTold(String text) {
    return told.stream().anyMatch(notice -> notice.text().contains(text));
  }

  @Test
  void whenManyDieItIsToldAndWhenMoreDieItStopsUntilSomebodySaysSo() throws Exception {
    Folder folder = limited("{warn: 10%, stop: 50%, of: 20}");
    try (Workspace workspace = Workspace.open(path, Map.of());
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> wasTold("3 of the last 20 records died (15 %): see 'wexrun dead p'"));
      folder.write("in/b.log", "2\n".repeat(40));
      until(() -> wasTold("0 of the last") || wasTold("1 of the last") || wasTold("(5 %)"));
      folder.write("in/c.log", "y\n".repeat(40));
      until(() -> status(run, "p").state() == State.PAUSED);
      assertThat(status(run, "p").why().orElseThrow())
          .contains("records died", "it is to stop above 50 %", "'wexrun resume p'");
      folder.write("in/d.log", "3\n");
      Thread.sleep(500);
      assertThat(workspace.tally("p").counts().taken()).isEqualTo(100);
      assertThat(workspace.tally("p").balanced()).isTrue();
      run.resume("p");
      until(() -> loaded(workspace, "p") == 58);
      folder.write("in/e.log", "z\n".repeat(40));
      until(() -> status(run, "p").state() == State.PAUSED);
      // Once it is mended, it goes on by itself.
      folder.write("pipelines/p.yaml", limitedPipeline("{stop: 99%, of: 20}"));
      until(() -> status(run, "p").state() == State.RUNNING);
      folder.write("in/f.log", "4\n");
      until(() -> loaded(workspace, "p") == 59);
    }
  }

  @Test
  void aRunThatEndsFailsWhenTooManyDie() throws Exception {
    limited("{stop: 10%, of: 20}");
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), listener)) {
      assertThatThrownBy(run::await)
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("3 of the last 20 records died (15 %)");
      assertThat(workspace.tally("p").balanced()).isTrue();
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "{of: 10} | nothing says how many may die",
        "{warn: 5} | a share, such as 1%",
        "{stop: 101%} | a share, such as 1%",
        "{stop: 1%, of: 0} | a number of records",
        "{stops: 1%} | did you mean 'stop'",
      })
  void wrongLimitsAreTold(String deaths, String expected) {
    limited(deaths);
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check().stream().map(d -> d.message() + d.hint().orElse("")))
          .anyMatch(message -> message.contains(expected));
    }
  }

  @Test
  void whoIsStrictEndsAllAtTheFirstFailure() throws Exception {
    twoStores();
    Files.move(path.resolve("bad"), path.resolve("away"));
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON.strictly(), listener)) {
      assertThatThrownBy(run::await).isInstanceOf(OutsideException.class);
      assertThat(run.status()).allMatch(s -> s.state() == State.ENDED);
    }
  }

  @Test
  void inARunThatEndsTheOthersAreDrained() throws Exception {
    twoStores();
    Files.move(path.resolve("bad"), path.resolve("away"));
    try (Workspace workspace = Workspace.open(path)) {
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), listener)) {
        assertThatThrownBy(run::await).isInstanceOf(OutsideException.class);
      }
      assertThat(loaded(workspace, "good")).isEqualTo(3);
      assertThat(loaded(workspace, "bad")).isZero();
    }
  }

  @Test
  void aPipelineWaitsForAReferenceTableThatIsNotThereYet() throws Exception {
    Folder folder = new Folder(path);
    folder.write(
        "wexrun.yaml",
        "workspace: w\nstores: {s: {duckdb: s.db}}\n"
            + "tables: {t: {in: s, columns: {n: text, place: text}}}\n");
    folder.write(
        "pipelines/p.yaml",
        """
        pipeline: p
        intake: {files: 'in/*.log'}
        shape:
          - template: '{n}'
          - lookup: {file: stations.csv, equal: {id: n}, add: {place: text}}
        route: [{to: t}]
        flush: {age: 50ms}
        """);
    folder.write("in/a.log", "7\n");
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> drain(workspace))
          .hasMessageContaining("there is no file 'stations.csv'");
      try (WorkspaceRun run = workspace.run(GOES_ON, listener)) {
        until(() -> !told.isEmpty());
        assertThat(status(run, "p").state()).isIn(State.FAILED, State.STARTING);
        assertThat(status(run, "p").failures()).isPositive();
        assertThat(told.get(0).text()).contains("there is no file 'stations.csv'");
        folder.write("stations.csv", "id,place\n7,Ostrel North\n");
        until(() -> loaded(workspace, "p") == 1);
        assertThat(status(run, "p").state()).isEqualTo(State.RUNNING);
      }
    }
  }

  /** What was taken and cannot be delivered is behind, though the source has no more to give. */
  @Test
  void theLagCountsWhatWaitsBeforeATargetThatTakesNothing() throws Exception {
    Folder folder = new Folder(path);
    folder.write(
        "wexrun.yaml",
        "workspace: w\nstores: {s: {folder: out, format: ndjson}}\n"
            + "tables: {t: {in: s, columns: {n: long}}}\n");
    folder.write(
        "pipelines/p.yaml",
        "pipeline: p\nintake: {files: 'in/*.log'}\nshape: [{template: '{n:long}'}]\n"
            + "route: [{to: t}]\nflush: {age: 50ms}\n");
    folder.write("in/a.log", "1\n");
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "p") == 1);
      until(() -> left(run) == 0);
      Files.move(path.resolve("out"), path.resolve("away"));
      folder.write("out", "a file, where a folder was");
      folder.append("in/a.log", "2\n3\n");
      until(() -> left(run) == 4);
      until(() -> status(run, "p").situation().oldest().isPresent());
      until(() -> status(run, "p").failures() > 2);
      until(() -> left(run) == 4);
      Files.delete(path.resolve("out"));
      Files.move(path.resolve("away"), path.resolve("out"));
      until(() -> loaded(workspace, "p") == 3);
      until(() -> left(run) == 0);
      until(() -> status(run, "p").situation().oldest().isEmpty());
    }
  }

  @Test
  void aFileThatIsNotThereYetIsWaitedForWhileTheOthersAreTaken() throws Exception {
    Folder folder = twoStores();
    folder.write(
        "pipelines/two.yaml",
        Files.readString(path.resolve("pipelines/two.yaml"))
            .replaceFirst("in/\\*.log", "later.log")
            .replaceFirst("'later.log'", "[in/a.log, later.log]"));
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> drain(workspace))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("there is no file " + path.resolve("later.log"));
      assertThat(loaded(workspace, "bad")).isEqualTo(3);
    }
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "good") == 3);
      folder.write("later.log", "4\n");
      until(() -> loaded(workspace, "good") == 4);
      assertThat(run.ended()).isFalse();
    }
  }

  @Test
  void aTableToBeLikeThatIsNotThereYetIsNoMistake() throws Exception {
    Folder folder = twoStores();
    folder.write(
        "wexrun.yaml",
        Files.readString(path.resolve("wexrun.yaml"))
            .replace("b: {in: bad, columns: {n: long}}", "b: {in: bad, like: {table: model}}"));
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> workspace.run(GOES_ON))
          .isInstanceOf(OutsideException.class)
          .hasMessageContaining("there is no table 'model' in store bad yet");
    }
    folder.write("pipelines/two.yaml", "pipeline: good\nintake: nothing\n");
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> workspace.run(GOES_ON)).isInstanceOf(MistakesException.class);
    }
  }

  @Test
  void aPipelineWaitsForAFolderThatIsNotMountedYet() throws Exception {
    Folder folder = twoStores();
    folder.write(
        "pipelines/more.yaml",
        """
        pipeline: mounted
        intake: {files: 'mount/*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: a}]
        flush: {age: 50ms}
        """);
    try (Workspace workspace = Workspace.open(path)) {
      assertThatThrownBy(() -> drain(workspace)).hasMessageContaining("there is no folder");
      try (WorkspaceRun run = workspace.run(GOES_ON, listener)) {
        until(() -> loaded(workspace, "good") == 3);
        until(() -> !told.isEmpty());
        assertThat(told.get(0).toString())
            .startsWith("mounted: failed, and is started again after a while: there is no folder");
        folder.write("mount/a.log", "1\n2\n");
        until(() -> loaded(workspace, "mounted") == 2);
      }
    }
  }

  @Test
  void aPipelineIsPausedResumedAndStoppedWhileTheOthersGoOn() throws Exception {
    Folder folder = twoStores();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "good") == 3 && loaded(workspace, "bad") == 3);
      assertThat(run.pause("bad")).isTrue();
      until(() -> status(run, "bad").state() == State.PAUSED);
      folder.write("in/b.log", "4\n5\n");
      until(() -> loaded(workspace, "good") == 5);
      assertThat(loaded(workspace, "bad")).isEqualTo(3);
      assertThat(run.resume("bad")).isTrue();
      until(() -> loaded(workspace, "bad") == 5);
      run.stop("good");
      until(() -> status(run, "good").state() == State.ENDED);
      assertThat(run.resume("good")).isFalse();
      folder.write("in/c.log", "6\n");
      until(() -> loaded(workspace, "bad") == 6);
      assertThat(loaded(workspace, "good")).isEqualTo(5);
      assertThat(status(run, "bad").progress().taken()).isEqualTo(6);
      assertThatThrownBy(() -> run.pause("none")).hasMessageContaining("no pipeline none");
    }
  }

  @Test
  void whatIsPausedAndResumedAtOnceGoesOn() throws Exception {
    Folder folder = twoStores();
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      int lines = 3;
      for (int round = 0; round < 20; round++) {
        run.pause("good");
        run.resume("good");
        folder.write("in/more" + round + ".log", "7\n");
        lines++;
      }
      int all = lines;
      until(() -> loaded(workspace, "good") == all && loaded(workspace, "bad") == all);
      assertThat(workspace.query("good", "select count(*) from a").rows().get(0).get(0))
          .hasToString(Integer.toString(all));
    }
  }

  @Test
  void whatIsHeldByAnotherRunIsSaidAtOnce() throws IOException {
    twoStores();
    try (Workspace workspace = Workspace.open(path);
        Workspace another = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON)) {
      assertThatThrownBy(() -> another.run(GOES_ON)).hasMessageContaining("is held by process");
      assertThat(run.ended()).isFalse();
    }
  }
}
