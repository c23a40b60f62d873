package io.wexrun.project;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.pipeline.Start;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.facts.PipelineStatus.State;
import io.wexrun.project.facts.RunFacts;
import io.wexrun.project.time.Schedule;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Pipelines that are started at times, or after others. */
class ScheduleTest {
  private static final RunOptions GOES_ON =
      RunOptions.untilDrained(false).withRetry(Duration.ofMillis(30), Duration.ofMillis(60));

  @TempDir private Path path;
  private final List<Notice> told = new CopyOnWriteArrayList<>();
  private final RunListener listener =
      new RunListener() {
        @Override
        public void told(Notice notice) {
          told.add(notice);
        }
      };

  private static Start cron(String text, String zone, boolean missed) {
    return new Start(
        Optional.empty(),
        Optional.of(text),
        ZoneId.of(zone),
        List.of(),
        Optional.empty(),
        missed,
        !missed,
        Start.RETRIES);
  }

  @ParameterizedTest
  @CsvSource({
    "30 2 * * *, UTC, 2026-05-03T02:00:00Z, 2026-05-03T02:30:00Z",
    "30 2 * * *, Europe/Berlin, 2026-05-03T01:00:00Z, 2026-05-04T00:30:00Z",
    "*/15 * * * *, UTC, 2026-05-03T02:00:01Z, 2026-05-03T02:15:00Z",
    "0 9 * * 1-5, UTC, 2026-05-02T10:00:00Z, 2026-05-04T09:00:00Z",
    "0 0 29 2 *, UTC, 2026-05-02T10:00:00Z, 2028-02-29T00:00:00Z",
  })
  void theNextTimeIsWhatIsWritten(String text, String zone, Instant after, Instant expected) {
    assertThat(new Schedule(cron(text, zone, true)).next(after)).contains(expected);
  }

  @Test
  void whatWasMissedIsMadeUpForOnceOrNot() {
    Instant last = Instant.parse("2026-05-01T02:30:00Z");
    Instant now = Instant.parse("2026-05-03T12:00:00Z");
    assertThat(new Schedule(cron("30 2 * * *", "UTC", true)).first(Optional.of(last), now))
        .contains(now);
    assertThat(new Schedule(cron("30 2 * * *", "UTC", false)).first(Optional.of(last), now))
        .contains(Instant.parse("2026-05-04T02:30:00Z"));
    assertThat(new Schedule(cron("30 2 * * *", "UTC", true)).first(Optional.empty(), now))
        .contains(Instant.parse("2026-05-04T02:30:00Z"));
    Instant morning = Instant.parse("2026-05-03T02:30:00Z");
    assertThat(new Schedule(cron("30 2 * * *", "UTC", true)).first(Optional.of(morning), now))
        .contains(Instant.parse("2026-05-04T02:30:00Z"));
    assertThatThrownBy(() -> new Schedule(cron("61 2 * * *", "UTC", true)))
        .isInstanceOf(IllegalArgumentException.class);
  }

  private void write(String starts) {
    Folder folder = new Folder(path);
    folder.write(
        "wexrun.yaml",
        """
        workspace: planned
        stores: {s: {duckdb: s.db}, away: {duckdb: away/s.db}}
        tables:
          a: {in: s, columns: {n: long}}
          b: {in: s, columns: {n: long}}
          c: {in: away, columns: {n: long}}
          d: {in: s, columns: {n: long}}
        """);
    String pipeline =
        "pipeline: %s\nintake: {files: '%s/*.log'}\nshape: [{template: '{n:long}'}]\n"
            + "route: [{to: %s}]\n%s\n";
    StringBuilder text = new StringBuilder();
    for (String each : starts.split(";")) {
      String[] nameAndStart = each.strip().split(" ", 2);
      String name = nameAndStart[0];
      String start = nameAndStart.length == 1 ? "" : "start: " + nameAndStart[1];
      text.append(pipeline.formatted(name, name, name, start)).append("---\n");
      folder.write(name + "/1.log", "1\n2\n");
    }
    folder.write("pipelines/p.yaml", text.substring(0, text.length() - 4));
  }

  private void until(BooleanSupplier holds) throws InterruptedException {
    for (int i = 0; i < 2000 && !holds.getAsBoolean(); i++) {
      Thread.sleep(10);
    }
    assertThat(holds.getAsBoolean()).as("%s", told).isTrue();
  }

  private static PipelineStatus status(WorkspaceRun run, String pipeline) {
    return run.status().stream()
        .filter(s -> s.pipeline().equals(pipeline))
        .findFirst()
        .orElseThrow();
  }

  private static long loaded(Workspace workspace, String pipeline) {
    return workspace.tally(pipeline).counts().allLoaded();
  }

  @Test
  void aPipelineRunsEverySoOftenAndOthersAfterIt() throws Exception {
    write("a {every: 1s}; b {after: [a]}");
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "a") == 2 && loaded(workspace, "b") == 2);
      Files.writeString(path.resolve("a/2.log"), "3\n");
      Files.writeString(path.resolve("b/2.log"), "3\n");
      until(() -> loaded(workspace, "a") == 3 && loaded(workspace, "b") == 3);
      until(() -> status(run, "b").state() == State.SLEEPING);
      assertThat(status(run, "b").next()).isEmpty();
      until(() -> status(run, "a").next().isPresent());
      List<RunFacts> runs = workspace.runs().latest(List.of("b"), 9);
      assertThat(runs).isNotEmpty().allMatch(r -> r.why().equals("after a"));
      assertThat(workspace.runs().latest(List.of("a"), 9))
          .anyMatch(r -> r.how().equals("drained") && r.why().equals("its time had come"));
      assertThat(run.ended()).isFalse();
    }
  }

  @Test
  void oneThatFailsIsTriedAgainAndThenWaitsForItsNextTime() throws Exception {
    write("c {cron: '0 0 1 1 *', retries: 2}; a {after: [c]}");
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> status(run, "c").state() == State.SLEEPING);
      assertThat(loaded(workspace, "a")).isZero();
      run.resume("c");
      until(() -> told.stream().anyMatch(n -> n.text().contains("waits for its next time")));
      assertThat(status(run, "c").failures()).isEqualTo(2);
      assertThat(loaded(workspace, "a")).as("after a success only").isZero();
      Files.createDirectories(path.resolve("away"));
      run.resume("c");
      until(() -> loaded(workspace, "c") == 2 && loaded(workspace, "a") == 2);
    }
  }

  @Test
  void aTimeThatCameWhileItRanIsMadeUpForOrPassedOver() {
    Instant started = Instant.parse("2026-05-03T02:30:00Z");
    Instant late = Instant.parse("2026-05-03T03:10:00Z");
    Instant soon = Instant.parse("2026-05-03T02:40:00Z");
    Schedule skips = new Schedule(cron("30 * * * *", "UTC", true)); // Without overlap.
    Schedule makesUp = new Schedule(cron("30 * * * *", "UTC", false));
    Instant past = Instant.parse("2026-05-03T03:35:00Z");
    assertThat(skips.again(started, past)).contains(Instant.parse("2026-05-03T04:30:00Z"));
    assertThat(makesUp.again(started, past)).contains(past);
    assertThat(makesUp.again(started, late)).contains(Instant.parse("2026-05-03T03:30:00Z"));
    assertThat(makesUp.again(started, soon)).contains(Instant.parse("2026-05-03T03:30:00Z"));
  }

  @Test
  void filesThatComeStartAPipeline() throws Exception {
    write("a {arrivals: 1s}; b {after: [a]}");
    try (Workspace workspace = Workspace.open(path, Map.of());
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "a") == 2 && loaded(workspace, "b") == 2);
      until(() -> status(run, "a").state() == State.SLEEPING);
      assertThat(status(run, "a").why()).contains("waits for files to come");
      int before = workspace.runs().latest(List.of("a"), 9).size();
      Thread.sleep(2500);
      assertThat(workspace.runs().latest(List.of("a"), 9)).as("nothing has come").hasSize(before);
      Files.writeString(path.resolve("a/2.log"), "3\n");
      Files.writeString(path.resolve("b/2.log"), "3\n");
      until(() -> loaded(workspace, "a") == 3 && loaded(workspace, "b") == 3);
      assertThat(workspace.runs().latest(List.of("a"), 9))
          .anyMatch(r -> r.why().equals("files had come"));
    }
  }

  @Test
  void aRunThatEndsKeepsTheOrderAndLeavesOutWhatComesAfterAFailure() throws Exception {
    write("c {every: 1m}; b {after: [a]}; d {after: [c]}; a {every: 1m}");
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), listener)) {
      assertThatThrownBy(run::await).hasMessageContaining("away");
      until(run::ended);
      assertThat(loaded(workspace, "b")).isEqualTo(2);
      assertThat(status(run, "d").why()).contains("pipeline d was not started, since c has failed");
      assertThat(loaded(workspace, "d")).isZero();
      List<RunFacts> runs = workspace.runs().latest(List.of("a", "b"), 9);
      assertThat(runs).extracting(RunFacts::pipeline).containsExactly("a", "b");
      assertThat(runs.get(1).started()).isAfterOrEqualTo(runs.get(0).ended().orElseThrow());
      assertThat(runs.get(1).why()).isEqualTo("after a");
    }
  }

  @Test
  void aRunThatEndsRunsAllOfThemNow() throws Exception {
    write("a {cron: '0 0 1 1 *'}; b {after: [a]}");
    try (Workspace workspace = Workspace.open(path);
        WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), listener)) {
      run.await();
      assertThat(loaded(workspace, "a")).isEqualTo(2);
      assertThat(loaded(workspace, "b")).isEqualTo(2);
    }
  }

  /** A pipeline that writes a parameter's value into each row. */
  private void writeValued(String start) {
    new Folder(path)
        .write(
            "wexrun.yaml",
            "workspace: w\nstores: {store: {duckdb: s.db}}\n"
                + "tables: {v: {in: store, columns: {n: long, value: text}}}\n")
        .write(
            "pipelines/p.yaml",
            "pipeline: v\nstart: %s\nparameters: {value: {default: none}}\n".formatted(start)
                + "intake: {files: 'v/*.log'}\nshape: [{template: '{n:long}'},"
                + " {set: {value: '\"${value}\"'}}]\nroute: [{to: v}]\n")
        .write("v/1.log", "1\n");
  }

  @Test
  void eachStartGivesItsOwnTimeToTheParameters() throws Exception {
    writeValued("{every: 1s, with: {value: '{time}'}}");
    try (Workspace workspace = Workspace.open(path, Map.of());
        WorkspaceRun run = workspace.run(GOES_ON, listener)) {
      until(() -> loaded(workspace, "v") == 1);
      Files.writeString(path.resolve("v/2.log"), "2\n");
      until(() -> loaded(workspace, "v") == 2);
      until(() -> status(run, "v").state() == State.SLEEPING);
      List<List<Object>> rows = workspace.query("store", "select value from v order by n").rows();
      Instant first = Instant.parse(rows.get(0).get(0).toString());
      Instant second = Instant.parse(rows.get(1).get(0).toString());
      assertThat(second).isAfter(first);
      assertThat(workspace.runs().latest(List.of("v"), 99))
          .anyMatch(r -> r.why().endsWith(", with value=" + second));
    }
  }

  @Test
  void theTimeOfACronExpressionIsTheLatestOneThatHasCome() throws Exception {
    writeValued(
        "{cron: '30 2 1 1 *', zone: Asia/Tokyo, with: {value: '{time-1d:yyyy-MM-dd HH:mm}"
            + " {time}'}}");
    int year = Instant.now().atZone(ZoneId.of("Asia/Tokyo")).getYear();
    String expected = (year - 1) + "-12-31 02:30 " + (year - 1) + "-12-31T17:30:00Z";
    try (Workspace workspace = Workspace.open(path, Map.of())) {
      assertThat(workspace.check()).isEmpty();
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), listener)) {
        run.await();
      }
      assertThat(workspace.query("store", "select value from v").rows())
          .containsExactly(List.of(expected));
    }
    try (Workspace workspace = Workspace.open(path, Map.of("value", "said"))) {
      Files.writeString(path.resolve("v/2.log"), "2\n");
      try (WorkspaceRun run = workspace.run(RunOptions.untilDrained(true), listener)) {
        run.await();
      }
      assertThat(workspace.query("store", "select value from v where n = 2").rows())
          .as("what is said at the run counts more")
          .containsExactly(List.of("said"));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "{x: 1} | there is no parameter 'x'",
        "{value: '{day}'} | '{day}' has a '{' that begins no time",
        "{value: '{time:nonsense}'} | '{time:nonsense}' cannot be written: ",
        "{value: '{time-1w}'} | '{time-1w}' has a '{' that begins no time",
      })
  void wrongValuesOfAStartAreToldAtTheirPlace(String with, String expected) {
    writeValued("{every: 1h, with: " + with + "}");
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check())
          .anyMatch(
              each ->
                  each.message().startsWith(expected)
                      && each.place().filter(place -> place.line() == 2).isPresent());
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "a {cron: '61 * * * *'} | is not a cron expression",
        "a {cron: nonsense} | is not a cron expression",
        "a {every: 10m, cron: '* * * * *'} | it is started in one way only",
        "a {zone: UTC} | nothing says when it is started",
        "a {every: 1ms} | a time of a second or more",
        "a {cron: '* * * * *', zone: Ostrel/North} | a time zone",
        "a {after: [x]} | there is no pipeline 'x'",
        "a; b {after: [a]} | goes on as long as the run, so nothing comes after it",
        "a {after: [b]}; b {after: [a]} | it waits for itself: a after b after a",
        "a {every: 1m, missed: maybe} | once or skip",
        "a {every: 1m, retries: some} | a number of tries",
        "a {every: 1m, overlap: twice} | once or skip",
      })
  void wrongTimesAreTold(String starts, String expected) {
    write(starts);
    try (Workspace workspace = Workspace.open(path)) {
      assertThat(workspace.check().stream().map(Diagnostic::message))
          .anyMatch(message -> message.contains(expected));
    }
  }
}
