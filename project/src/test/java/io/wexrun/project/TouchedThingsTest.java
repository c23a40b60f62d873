package io.wexrun.project;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.Folders;
import io.wexrun.contract.Seeds;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.Setback;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.Proof;
import io.wexrun.queue.Producer;
import io.wexrun.queue.log.PartitionInfo;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** What operators do to stores, queues, the state and names between runs. */
class TouchedThingsTest {
  private static final String WORKSPACE =
      """
      workspace: touched
      stores: {w: {duckdb: w.db}}
      queues: {q: {partitions: 2}}
      tables:
        even: {in: w, columns: {n: int}}
        odd: {in: w, columns: {n: int}}
        copies: {in: w, columns: {n: int}}
      """;
  private static final String PIPELINES =
      """
      pipeline: direct
      intake: {files: 'in/*.log'}
      shape:
        - template: '{n:int}'
      route:
        - when: n % 2 == 0
          to: even
        - when: n % 5 != 0
          to: odd
        - otherwise: dead
      ---
      pipeline: feed
      intake: {files: 'in/*.log'}
      route: [{to: q}]
      ---
      pipeline: copy
      intake: {queue: q}
      shape:
        - template: '{n:int}'
      route: [{to: copies}]
      """;

  @TempDir private Path base;

  /** A workspace that is touched. */
  private static final class Site {
    final Folder folder;
    int lines;

    Site(Path path) {
      folder =
          new Folder(path)
              .write("wexrun.yaml", WORKSPACE)
              .write("pipelines/all.yaml", PIPELINES)
              .write("in/a.log", "");
    }

    Path at(String name) {
      return folder.path().resolve(name);
    }

    void write(int count) {
      StringBuilder more = new StringBuilder();
      for (int i = 0; i < count; i++) {
        more.append(++lines).append('\n');
      }
      folder.append("in/a.log", more.toString());
    }

    void run(String... names) {
      try (Workspace workspace = Workspace.open(folder.path());
          WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), names)) {
        run.await();
      } catch (InterruptedException e) {
        throw new AssertionError(e);
      }
    }

    List<Setback> setbacks() {
      try (Workspace workspace = Workspace.open(folder.path())) {
        return workspace.setbacks();
      }
    }

    void settle(String pipeline, boolean again) {
      try (Workspace workspace = Workspace.open(folder.path())) {
        Reconciliation reconciliation = workspace.reconciliation(pipeline);
        if (again) {
          assertThat(reconciliation.whyNotAgain()).isEmpty();
          reconciliation.takeAgain();
        } else {
          reconciliation.accept();
        }
      }
    }

    Tally tally(String pipeline) {
      try (Workspace workspace = Workspace.open(folder.path())) {
        return workspace.tally(pipeline);
      }
    }

    List<Object> ask(String sql) {
      try (Workspace workspace = Workspace.open(folder.path())) {
        return workspace.query("w", sql).rows().get(0);
      }
    }

    long rows(String table) {
      List<Object> counts = ask("select count(*), count(distinct n) from " + table);
      assertThat(counts.get(0)).as("nothing twice in %s", table).isEqualTo(counts.get(1));
      return ((Number) counts.get(0)).longValue();
    }

    void sql(String sql) {
      try (Workspace workspace = Workspace.open(folder.path())) {
        workspace.change("w", sql);
      }
    }

    void remove(String name) {
      if (Files.exists(at(name))) {
        Folders.remove(at(name));
      }
    }

    void copy(String from, String to) {
      try (Stream<Path> all = Files.walk(at(from))) {
        for (Path each : all.filter(Files::isRegularFile).toList()) {
          Path copy = at(to).resolve(at(from).relativize(each).toString());
          Files.createDirectories(copy.getParent());
          Files.copy(each, copy, StandardCopyOption.REPLACE_EXISTING);
        }
      } catch (IOException e) {
        throw new AssertionError(e);
      }
    }
  }

  @Test
  void aStorePutBackFromABackupStopsTheRunUntilItIsTakenAgainOrAccepted() {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.copy("w.db", "backup.db");
    site.write(900);
    site.run();
    site.copy("backup.db", "w.db");
    assertThatThrownBy(site::run)
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("put back from an earlier time")
        .hasMessageContaining("wexrun reconcile");
    assertThat(site.setbacks())
        .extracting(Setback::target)
        .containsExactly("even", "odd", "copies");
    site.settle("direct", true);
    site.settle("copy", false);
    site.write(10);
    site.run();
    assertThat(site.rows("even")).isEqualTo(505);
    assertThat(site.rows("odd")).isEqualTo(404);
    assertThat(site.rows("copies")).isEqualTo(110);
    Tally direct = site.tally("direct");
    assertThat(direct.balanced()).isTrue();
    assertThat(direct.counts().loaded()).isEqualTo(Map.of("even", 505L, "odd", 404L));
    Tally copy = site.tally("copy");
    assertThat(copy.balanced()).isTrue();
    assertThat(copy.counts().loaded()).isEqualTo(Map.of("copies", 110L));
    assertThat(copy.lost()).isEqualTo(900);
    assertThat(site.setbacks()).isEmpty();
  }

  @Test
  void aStoreThatIsMissingIsNotMadeAnew() {
    Site site = new Site(base);
    site.write(20);
    site.run();
    site.copy("w.db", "aside.db");
    site.remove("w.db");
    assertThatThrownBy(site::run).hasMessageContaining("is not there any more");
    assertThat(site.at("w.db")).doesNotExist();
    site.copy("aside.db", "w.db");
    site.run();
    assertThat(site.rows("even")).isEqualTo(10);
  }

  @Test
  void aStateThatWasRemovedDoesNotDoubleRows() {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.remove(".wexrun");
    site.write(10);
    assertThatThrownBy(site::run).hasMessageContaining("the state was removed");
    site.settle("direct", true);
    site.run("direct");
    assertThat(site.rows("even")).isEqualTo(55);
    assertThat(site.tally("direct").balanced()).isTrue();
    site.run("feed");
    assertThatThrownBy(() -> site.settle("copy", false)).hasMessageContaining("another name");
  }

  /** As if the run had been killed right between the commit to the tables and the account. */
  @Test
  void filesThatAreRotatedBeforeTheirFirstAccountKeepTheirNames() throws Exception {
    Site site = new Site(base);
    site.write(100);
    site.run("direct");
    try (Connection state =
            DriverManager.getConnection("jdbc:sqlite:" + site.at(".wexrun/state.db"));
        Statement statement = state.createStatement()) {
      for (String table :
          List.of("source_tally", "loaded_tally", "reached_target", "time_tally", "source_mark")) {
        statement.executeUpdate("delete from " + table + " where pipeline = 'direct'");
      }
    }
    Files.move(site.at("in/a.log"), site.at("in/b.log"));
    site.folder.write("in/a.log", "");
    site.write(60);
    site.run("direct");
    try (Workspace workspace = Workspace.open(base)) {
      String rows =
          "select count(*), count(distinct n), max(n) from"
              + " (select n from even union all select n from odd)";
      // Odd numbers that end in 5 die.
      assertThat(workspace.query("w", rows).rows()).containsExactly(List.of(144L, 144L, 160));
      assertThat(workspace.tally("direct").counts().taken()).isEqualTo(160);
    }
  }

  @Test
  void aQueueThatWasRemovedIsAnotherOneWhenItIsMadeAnew() {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.remove(".wexrun/queues/q");
    assertThatThrownBy(() -> site.run("feed")).hasMessageContaining("target q of pipeline feed");
    site.settle("feed", false);
    site.write(50);
    site.run();
    assertThat(site.rows("copies")).isEqualTo(150);
    assertThat(site.tally("feed").lost()).isEqualTo(100);
  }

  @Test
  void onlyWhatWasShownIsTakenAgainAndADeletedQueueIsNoDifference() {
    Site site = new Site(base);
    site.folder.write("wexrun.yaml", WORKSPACE.replace("queues: {", "queues: {r: {}, "));
    site.folder.write("pipelines/all.yaml", PIPELINES.replace("to: q}", "to: [q, r]}"));
    site.write(7);
    site.run();
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.queues().delete("q")).isEqualTo(7);
      assertThat(workspace.books().prove(List.of("feed", "copy")))
          .as("somebody was permitted to delete it")
          .noneMatch(proof -> proof.verdict() == Proof.Verdict.DIFFERS);
    }
    site.remove(".wexrun/queues/r");
    try (Workspace workspace = Workspace.open(base)) {
      Reconciliation shown = workspace.reconciliation("feed");
      assertThat(shown.setbacks()).extracting(Setback::target).containsExactly("r");
      assertThat(shown.rereading()).isEmpty();
      shown.takeAgain();
    }
    site.write(3);
    site.run();
    assertThat(site.rows("copies")).isEqualTo(10);
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.queues().facts("q").partitions())
          .as("only the new ones")
          .extracting(PartitionInfo::records)
          .satisfies(all -> assertThat(all.stream().mapToLong(Long::longValue).sum()).isEqualTo(3));
      assertThat(workspace.books().prove(List.of("feed", "copy")))
          .noneMatch(proof -> proof.verdict() == Proof.Verdict.DIFFERS);
    }
  }

  @Test
  void whatIsFoundAfterItWasShownIsNotDone() {
    Site site = new Site(base);
    site.write(10);
    site.run();
    site.sql("drop table even");
    try (Workspace workspace = Workspace.open(base)) {
      Reconciliation shown = workspace.reconciliation("direct");
      workspace.change("w", "drop table odd");
      assertThatThrownBy(shown::takeAgain).hasMessageContaining("has changed since it was looked");
      assertThat(workspace.reconciliation("direct").setbacks()).hasSize(2);
    }
  }

  @Test
  void aQueueThatWasPutBackIsNotReadTwice() {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.copy(".wexrun/queues/q", "copy-of-q");
    site.write(60);
    site.run();
    site.remove(".wexrun/queues/q");
    site.copy("copy-of-q", ".wexrun/queues/q");
    site.write(20);
    assertThatThrownBy(() -> site.run("feed")).hasMessageContaining("has less than before");
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.reconciliation("feed").rereading())
          .singleElement()
          .asString()
          .startsWith("pipeline copy has read q/0 up to position ");
    }
    site.settle("feed", false);
    site.run();
    assertThat(site.rows("copies")).isEqualTo(180);
  }

  @Test
  void aPositionThatWasPassedIsNotGivenAgain() {
    Site site = new Site(base);
    site.write(100);
    site.run("feed");
    site.copy(".wexrun/queues/q", "copy-of-q");
    append("1001", "1002", "1003", "1004");
    site.run("copy");
    assertThat(site.rows("copies")).isEqualTo(104);
    site.remove(".wexrun/queues/q");
    site.copy("copy-of-q", ".wexrun/queues/q");
    append("2001", "2002");
    site.run("copy");
    assertThat(site.rows("copies")).as("both are read").isEqualTo(106);
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.queues().facts("q").partitions())
          .extracting(PartitionInfo::lost)
          .satisfies(all -> assertThat(all.stream().mapToLong(Long::longValue).sum()).isEqualTo(4));
      assertThat(workspace.queues().verify("q").orElseThrow().faults()).isEmpty();
    }
  }

  @Test
  void aPositionThatATargetHasPassedIsNotGivenAgain() throws Exception {
    Site site = new Site(base);
    site.write(10);
    site.run();
    site.copy(".wexrun/queues/q", "copy-of-q");
    site.copy(".wexrun/state.db", "copy-of-state");
    append("1001", "1002", "1003", "1004");
    site.run("copy");
    site.copy("copy-of-state", ".wexrun/state.db");
    site.remove(".wexrun/queues/q");
    site.copy("copy-of-q", ".wexrun/queues/q");
    assertThatThrownBy(() -> site.run("copy"))
        .hasMessageContaining("has rows from positions that the queue does not have");
    site.settle("copy", false);
    try (Workspace workspace = Workspace.open(base);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), "copy")) {
      append(workspace, "2001", "2002");
      run.await();
    }
    site.run("copy");
    assertThat(site.rows("copies")).as("all are read").isEqualTo(16);
  }

  /** The tables know of the replay; the state does not any more. */
  @Test
  void aReplayThatTheStateHasForgottenIsNotDoneTwice() throws Exception {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.copy(".wexrun", "backup");
    site.folder.write("pipelines/all.yaml", PIPELINES.replace("n % 5 != 0", "n % 2 == 1"));
    try (Workspace workspace = Workspace.open(base)) {
      replay(workspace);
    }
    assertThat(site.rows("odd")).isEqualTo(50);
    site.remove(".wexrun");
    site.copy("backup", ".wexrun");
    for (String what : List.of("run", "replay")) {
      assertThatThrownBy(
              () -> {
                try (Workspace workspace = Workspace.open(base)) {
                  if (what.equals("run")) {
                    site.run("direct");
                  } else {
                    replay(workspace);
                  }
                }
              })
          .hasMessageContaining("rows of a replay of which the tally knows nothing")
          .hasMessageContaining("wexrun reconcile direct");
    }
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.reconciliation("direct").whyNotAgain()).isPresent();
    }
    site.settle("direct", false);
    site.write(10);
    site.run();
    assertThat(site.rows("odd")).isEqualTo(55);
    assertThat(site.setbacks()).isEmpty();
  }

  /** The queue that was put back with the state would be filled and read again. */
  @Test
  void stateAndQueuesThatWerePutBackTogetherAreNotReadTwice() {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.copy(".wexrun", "backup");
    site.copy("w.db", "store-backup");
    site.write(60);
    site.run();
    site.remove(".wexrun");
    site.copy("backup", ".wexrun");
    site.write(20);
    for (String pipeline : List.of("feed", "copy")) {
      assertThatThrownBy(() -> site.run(pipeline))
          .hasMessageContaining("target copies of pipeline copy has rows from positions that")
          .hasMessageContaining("wexrun reconcile copy");
    }
    site.run("direct");
    assertThat(site.rows("even")).isEqualTo(90);
    site.copy("store-backup", "w.db");
    site.settle("direct", true);
    site.run();
    assertThat(site.rows("copies")).as("everything is of one time again").isEqualTo(180);
    assertThat(site.rows("even")).isEqualTo(90);
    assertThat(site.setbacks()).isEmpty();
  }

  private static void replay(Workspace workspace) throws InterruptedException {
    workspace.replays().choose("direct", DeadFilter.ALL);
    workspace.replays().run("direct", RunOptions.untilDrained(true), replays -> {});
  }

  private void append(String... records) {
    try (Workspace workspace = Workspace.open(base)) {
      append(workspace, records);
    }
  }

  private static void append(Workspace workspace, String... records) {
    try (Producer producer = workspace.queues().open("q").producer()) {
      for (String record : records) {
        producer.append(record.getBytes(UTF_8));
      }
      producer.flush();
    }
  }

  @Test
  void aQueueIsNotDeletedUnread() {
    Site site = new Site(base);
    site.write(100);
    site.run("feed");
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.queues().unread("q")).isEqualTo(Map.of("pipeline copy", 100L));
    }
    site.run("copy");
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.queues().unread("q")).isEmpty();
      assertThat(workspace.queues().delete("q")).isEqualTo(100);
    }
    site.write(40);
    site.run();
    assertThat(site.rows("copies")).isEqualTo(140);
  }

  @Test
  void aRenamedPipelineGoesOnWhereItWas() {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.folder.write("pipelines/all.yaml", PIPELINES.replace("pipeline: direct", "pipeline: d2"));
    site.write(10);
    assertThatThrownBy(site::run)
        .isInstanceOf(MistakesException.class)
        .hasMessageContaining("pipeline direct seems to be renamed to d2");
    assertThat(site.rows("even")).as("nothing is loaded again").isEqualTo(50);
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.check()).extracting("code").containsExactly("undefined-pipeline");
      assertThat(workspace.check().get(0).hint()).get().asString().contains("adopt direct d2");
      assertThat(workspace.tally()).extracting(Tally::pipeline).contains("direct");
      workspace.adopt("direct", "d2");
      assertThat(workspace.check()).isEmpty();
    }
    site.run();
    assertThat(site.rows("even")).isEqualTo(55);
    assertThat(site.tally("d2").counts().taken()).isEqualTo(110);
    assertThat(site.tally("d2").balanced()).isTrue();
    try (Workspace workspace = Workspace.open(base)) {
      assertThat(workspace.deadLetters("d2")).hasSize(11);
    }
  }

  @Test
  void whoSaysSoLoadsEverythingAgainUnderANewName() throws Exception {
    Site site = new Site(base);
    site.write(100);
    site.run();
    site.folder.write("pipelines/all.yaml", PIPELINES.replace("pipeline: direct", "pipeline: d2"));
    try (Workspace workspace = Workspace.open(base);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true).withAsNew())) {
      run.await();
    }
    assertThat(site.tally("d2").counts().taken()).isEqualTo(100);
    site.run();
    assertThat(site.ask("select count(*) from even")).isEqualTo(List.of(100L));
  }

  /** Whatever is done, each row is there once at the end, or the books say that it is lost. */
  @Test
  @Timeout(value = 2, unit = TimeUnit.HOURS)
  void noHistoryOfActsLosesOrDoublesARowUntold() {
    Seeds.each(4, seed -> live(new Site(base.resolve("s" + seed)), new SplittableRandom(seed)));
  }

  private static void live(Site site, SplittableRandom dice) {
    List<String> acts = new ArrayList<>();
    boolean backup = false;
    for (int left = 10; left > 0; left--) {
      site.write(dice.nextInt(1, 200));
      runAndSettle(site, dice, acts);
      switch (dice.nextInt(11)) {
        case 0 -> {
          acts.add("back up");
          site.copy("w.db", "backup.db");
          backup = true;
        }
        case 1 -> {
          if (backup) {
            acts.add("put back");
            site.copy("backup.db", "w.db");
          }
        }
        case 2 -> {
          String table = List.of("even", "odd", "copies").get(dice.nextInt(3));
          acts.add("drop " + table);
          site.sql("drop table " + table);
        }
        case 3 -> {
          acts.add("remove the store");
          site.remove("w.db");
        }
        case 4 -> {
          acts.add("remove the queue");
          site.remove(".wexrun/queues/q");
        }
        case 5 -> {
          if (Files.exists(site.at("q-backup"))) {
            acts.add("put the queue back");
            site.remove(".wexrun/queues/q");
            site.copy("q-backup", ".wexrun/queues/q");
          } else if (Files.exists(site.at(".wexrun/queues/q"))) {
            acts.add("back the queue up");
            site.copy(".wexrun/queues/q", "q-backup");
          }
        }
        case 6 -> {
          acts.add("back the state up");
          site.remove("state-backup");
          site.copy(".wexrun", "state-backup");
        }
        case 7 -> {
          if (Files.exists(site.at("state-backup"))) {
            acts.add("put queue and state back");
            site.remove(".wexrun");
            site.copy("state-backup", ".wexrun");
          }
        }
        case 8 -> {
          if (Files.exists(site.at("state-backup"))) {
            acts.add("put the state back");
            site.copy("state-backup/state.db", ".wexrun/state.db");
          }
        }
        default -> acts.add("nothing");
      }
    }
    runAndSettle(site, dice, acts);
    runAndSettle(site, dice, acts);
    for (String pipeline : List.of("direct", "feed", "copy")) {
      Tally tally = site.tally(pipeline);
      assertThat(tally.balanced()).as("%s", acts).isTrue();
      assertThat(tally.counts().taken()).as("%s: %s", pipeline, acts).isGreaterThan(0);
      tally
          .counts()
          .loaded()
          .forEach(
              (target, rows) -> {
                if (target.equals("q")) {
                  return;
                }
                // A state that was put back may not know of a queue that is gone by then.
                boolean older = acts.stream().anyMatch(act -> act.contains("state back"));
                assertThat(site.rows(target))
                    .as("%s: %s", target, acts)
                    .satisfies(n -> assertThat(older ? Math.max(n, rows) : rows).isEqualTo(n));
              });
    }
    assertThat(site.tally("direct").counts().taken()).isEqualTo(site.lines);
  }

  private static void runAndSettle(Site site, SplittableRandom dice, List<String> acts) {
    for (String pipeline : List.of("direct", "feed", "copy")) {
      try {
        site.run(pipeline);
      } catch (OutsideException e) {
        boolean again = dice.nextBoolean();
        if (site.setbacks().stream().anyMatch(s -> s.kind() == Setback.Kind.AHEAD)) {
          acts.add("empty what is ahead of the queue");
          site.sql("drop table copies");
        }
        try (Workspace workspace = Workspace.open(site.folder.path())) {
          Reconciliation found = workspace.reconciliation(pipeline);
          again &= found.whyNotAgain().isEmpty() && found.rereading().isEmpty();
        }
        acts.add(pipeline + (again ? " again" : " accept"));
        if (!again) {
          site.remove("state-backup"); // It knows nothing of what is lost now.
        }
        site.settle(pipeline, again);
        site.run(pipeline);
      }
    }
  }
}
