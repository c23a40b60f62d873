package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.step.RowStep;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.written.Written;
import java.io.IOException;
import java.net.URL;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.Collections;
import java.util.Enumeration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Queue;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.AtomicReference;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class PipelineRunTest {
  private static final FlushPolicy SMALL = FlushPolicy.DEFAULT.withRows(7);
  private static final FlushPolicy SOON = SMALL.withAge(Duration.ofMillis(1));
  private static final RunOptions DRAIN = RunOptions.untilDrained(true);
  private static final RunOptions GOES_ON =
      RunOptions.untilDrained(false).withRetry(Duration.ofMillis(1), Duration.ofMillis(4));
  private static final SourcePartition S0 = new SourcePartition("s0");

  private static void drain(World world, RunOptions options) throws InterruptedException {
    try (PipelineRun run = world.start(World.pipeline(SMALL), options)) {
      run.await();
    }
  }

  private static Map<String, List<String>> contents(World world) {
    Map<String, List<String>> contents = new TreeMap<>();
    world.tables.forEach(
        (name, table) -> contents.put(name, table.rows.stream().sorted().toList()));
    return contents;
  }

  @Property(tries = 150)
  void whateverFailsEachRecordIsInItsTablesOnce(
      @ForAll long seed,
      @ForAll @IntRange(min = 1, max = 4) int lanes,
      @ForAll @IntRange(min = 1, max = 12) int failures)
      throws InterruptedException {
    World calm = new World(seed);
    calm.fill(3, 80);
    drain(calm, DRAIN);

    World stormy = new World(seed + 1);
    stormy.sources.putAll(calm.sources);
    stormy.failuresLeft = failures;
    RunOptions options = DRAIN.withLanes(lanes);
    boolean done = false;
    while (!done) {
      try {
        drain(stormy, options);
        done = true;
      } catch (OutsideException e) {
        assertThat(stormy.tally.tally("p").balanced()).isTrue();
      }
    }
    assertThat(contents(stormy)).isEqualTo(contents(calm));
    assertThat(stormy.tally.tally("p").counts()).isEqualTo(calm.tally.tally("p").counts());
  }

  @Property(tries = 60)
  void aRunThatGoesOnComesBackByItselfWhateverFails(
      @ForAll long seed, @ForAll @IntRange(min = 1, max = 12) int failures)
      throws InterruptedException {
    World calm = new World(seed);
    calm.fill(3, 80);
    drain(calm, DRAIN);

    World stormy = new World(seed + 1);
    stormy.sources.putAll(calm.sources);
    stormy.readingFails = false;
    stormy.failuresLeft = failures;
    Watcher watcher = new Watcher();
    try (PipelineRun run = stormy.start(World.pipeline(SOON), GOES_ON, watcher)) {
      awaitTaken(run, 240);
      assertThat(run.ended()).isFalse();
      assertThat(run.progress().taken()).isEqualTo(240);
    }
    assertThat(contents(stormy)).isEqualTo(contents(calm));
    assertThat(stormy.tally.tally("p").counts()).isEqualTo(calm.tally.tally("p").counts());
    assertThat(stormy.told).isEqualTo(stormy.tally.positions("p"));
    assertThat(watcher.accounted.get()).isEqualTo(240);
    assertThat(watcher.ended).containsExactly(Optional.empty());
    int waits = 0;
    for (Notice notice : watcher.notices) {
      waits += notice.kind() == Notice.Kind.WAITS ? 1 : -waits;
      assertThat(notice.text())
          .containsAnyOf("cannot deliver, and it is tried again: ", "delivers again");
    }
    assertThat(waits).as("what waits has gone on").isZero();
  }

  @Property(tries = 60)
  void whatAStoreRefusesDiesOnceWhateverFails(
      @ForAll long seed, @ForAll @IntRange(min = 0, max = 12) int failures)
      throws InterruptedException {
    World world = new World(seed);
    world.fill(2, 60);
    world.refuse("scans", n -> n % 3 == 0);
    world.refuse("audit", n -> n % 5 == 0);
    world.failuresLeft = failures;
    boolean done = false;
    Progress sum = Progress.NONE;
    while (!done) {
      PipelineRun run = world.start(World.pipeline(SMALL), DRAIN);
      try (run) {
        run.await();
        done = true;
      } catch (OutsideException e) {
        assertThat(world.tally.tally("p").balanced()).isTrue();
      }
      sum = sum.plus(run.progress());
    }
    Counts counts = world.tally.tally("p").counts();
    // What failed after its commit was counted by nobody.
    if (failures == 0) {
      assertThat(sum.loaded()).isEqualTo(counts.allLoaded());
    } else {
      assertThat(sum.loaded()).isLessThanOrEqualTo(counts.allLoaded());
    }
    assertThat(sum.dead()).isLessThanOrEqualTo(counts.allDead());
    long refused = counts.dead().getOrDefault(Reason.REFUSED, 0L);
    List<String> dead = world.tables.get(Route.DEAD).rows;
    assertThat(dead).doesNotHaveDuplicates().hasSize((int) counts.allDead());
    assertThat(dead.stream().filter(row -> row.contains(" refused"))).hasSize((int) refused);
    assertThat(counts.loaded().getOrDefault("scans", 0L))
        .isEqualTo(world.tables.get("scans").rows.size());
    assertThat(counts.in()).isEqualTo(counts.out());
    assertThat(world.tables.get("scans").rows).doesNotHaveDuplicates();
  }

  /** Waits until so many records are taken and accounted for. */
  private static void awaitTaken(PipelineRun run, long records) {
    long until = System.nanoTime() + Duration.ofSeconds(30).toNanos();
    while (run.progress().taken() < records || run.progress().held() > 0) {
      assertThat(System.nanoTime()).as("it takes too long").isLessThan(until);
      Thread.onSpinWait();
    }
  }

  /** Keeps what it is told. */
  private static final class Watcher implements RunListener {
    final Queue<Notice> notices = new ConcurrentLinkedQueue<>();
    final Queue<Optional<Throwable>> ended = new ConcurrentLinkedQueue<>();
    final AtomicLong accounted = new AtomicLong();

    @Override
    public void told(Notice notice) {
      notices.add(notice);
    }

    @Override
    public void accounted(String pipeline, List<Account> accounts) {
      accounts.forEach(account -> accounted.addAndGet(account.counts().taken()));
    }

    @Override
    public void ended(String pipeline, Optional<Throwable> failure) {
      ended.add(failure);
    }
  }

  @Test
  void aStrictRunEndsAtItsFirstFailureAndSaysSoToWhoWatches() throws InterruptedException {
    World world = new World(7);
    world.fill(1, 200);
    world.readingFails = false;
    world.failuresLeft = 1;
    Watcher watcher = new Watcher();
    try (PipelineRun run =
        world.start(World.pipeline(SMALL), RunOptions.untilDrained(false).strictly(), watcher)) {
      assertThatThrownBy(run::await).hasMessageContaining("failed, as it may");
    }
    assertThat(watcher.notices).isEmpty();
    assertThat(watcher.ended).hasSize(1).allMatch(Optional::isPresent);
  }

  @Test
  void aFlushThatHangsIsToldOnceAndSoIsThatItGoesOn() throws Exception {
    World world = new World(9);
    world.fill(1, 50);
    world.readingFails = false;
    world.tables.put("scans", new World.Committed());
    world.tables.get("scans").opens = new CountDownLatch(1);
    Watcher watcher = new Watcher();
    RunOptions soon = GOES_ON.withSlow(Duration.ofSeconds(2)); // The others take no such time.
    try (PipelineRun run = world.start(World.pipeline(SOON), soon, watcher);
        AutoCloseable opened = world.tables.get("scans").opens::countDown) {
      assertThat(opened).isNotNull();
      while (run.waits().isEmpty()) {
        Thread.sleep(5);
      }
      Thread.sleep(300);
      assertThat(run.waits())
          .contains("a flush of scans has not ended for more than 2 s: its store may hang");
      assertThat(watcher.notices).hasSize(1);
      world.tables.get("scans").opens.countDown();
      awaitTaken(run, 50);
      while (run.waits().isPresent()) {
        Thread.sleep(5);
      }
    }
    assertThat(watcher.notices).hasSize(2);
    assertThat(world.tally.tally("p").balanced()).isTrue();
  }

  /** A step that waits for somebody who lets it go on. */
  public static final class Hangs implements StepKind {
    private static final CountDownLatch GOES_ON_AGAIN = new CountDownLatch(1);

    @Override
    public String name() {
      return "hangs";
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      return List.of(
          new RowStep(
              context.input(),
              (row, rows) -> {
                try {
                  GOES_ON_AGAIN.await();
                } catch (InterruptedException e) {
                  throw new IllegalStateException(e);
                }
              }));
    }
  }

  /** Steps with that one among them. */
  private static Steps withHangs(Path folder) throws IOException {
    Path services = folder.resolve("services");
    Files.writeString(services, Hangs.class.getName());
    URL url = services.toUri().toURL();
    return Steps.with(
        new ClassLoader(PipelineRunTest.class.getClassLoader()) {
          @Override
          public Enumeration<URL> getResources(String name) throws IOException {
            return name.equals("META-INF/services/" + StepKind.class.getName())
                ? Collections.enumeration(List.of(url))
                : super.getResources(name);
          }
        });
  }

  @Test
  void aStepThatHangsIsToldAndKeepsNoOtherPipelineFromItsLanes(@TempDir Path folder)
      throws Exception {
    RunOptions soon = GOES_ON.withSlow(Duration.ofMillis(50)).withLanes(1);
    Lanes lanes = Lanes.of(soon);
    World stuck = new World(10);
    stuck.fill(1, 5);
    stuck.readingFails = false;
    stuck.steps = withHangs(folder);
    World other = new World(11);
    other.fill(1, 50);
    other.readingFails = false;
    Watcher watcher = new Watcher();
    Pipeline hanging =
        Pipeline.named("p")
            .intake(Settings.of("memory", ""))
            .shape(StepDefinition.template("{kind} {n:long}"), StepDefinition.of("hangs", Map.of()))
            .route(Route.otherwiseDead())
            .flush(SOON)
            .build();
    try (PipelineRun first = stuck.start(hanging, lanes, soon, watcher)) {
      while (first.waits().isEmpty()) {
        Thread.sleep(5);
      }
      assertThat(first.waits().orElseThrow())
          .contains("a step has not ended for more than 0 s with records of ", "it may hang");
      try (PipelineRun second = other.start(World.pipeline(SOON), lanes, soon, RunListener.NONE)) {
        awaitTaken(second, 50);
      }
      Hangs.GOES_ON_AGAIN.countDown();
      awaitTaken(first, 5);
    }
    assertThat(stuck.tally.tally("p").balanced()).isTrue();
    lanes.close();
  }

  @Test
  void whoWasOvertakenEndsInsteadOfTryingAgain() throws InterruptedException {
    World world = new World(8);
    world.fill(1, 50);
    world.readingFails = false;
    try (PipelineRun run = world.start(World.pipeline(SOON), GOES_ON)) {
      awaitTaken(run, 50);
      world.tables.get("scans").progress.get("p").merge(S0, 1_000_000L, Math::max);
      world.append(S0, "scan 1\n".repeat(50));
      assertThatThrownBy(run::await).hasMessageContaining("overtaken");
    }
    assertThat(world.tally.tally("p").counts().taken()).isLessThan(100);
  }

  /** However soon it comes after a failure that made the intake go back. */
  @Property(tries = 150)
  void aFailureThatLastsEndsTheRun(
      @ForAll long seed, @ForAll @IntRange(min = 2, max = 4) int failures)
      throws InterruptedException {
    World world = new World(seed);
    world.fill(3, 200);
    world.readingFails = false;
    world.endsWithLasting = true;
    world.failuresLeft = failures;
    RunOptions atOnce =
        RunOptions.untilDrained(false).withRetry(Duration.ofMillis(1), Duration.ofMillis(1));
    try (PipelineRun run = world.start(World.pipeline(SOON), atOnce)) {
      long deadline = System.nanoTime() + Duration.ofSeconds(20).toNanos();
      while (!run.ended()) {
        assertThat(System.nanoTime()).as("it goes on and on").isLessThan(deadline);
        if (run.progress().taken() >= 600) {
          world.append(S0, "scan 1\n");
        }
        Thread.sleep(1);
      }
      assertThatThrownBy(run::await).hasMessageContaining("fails from now on");
    }
  }

  @Test
  void theBooksSayWhatBecameOfEveryRecord() throws InterruptedException {
    World world = new World(1);
    world.sources.put(
        new SourcePartition("s"), "scan 1\nping 2\nfault 3\nwaltz 4\nscan x\nscan 6\n".getBytes());
    drain(world, DRAIN);
    Tally tally = world.tally.tally("p");
    Counts counts = tally.counts();
    assertThat(counts.taken()).isEqualTo(6);
    assertThat(counts.copied()).isEqualTo(2);
    assertThat(counts.loaded()).isEqualTo(Map.of("audit", 2L, "faults", 1L, "scans", 2L));
    assertThat(counts.allDead()).isEqualTo(2);
    assertThat(counts.dropped()).isEqualTo(1);
    assertThat(tally.balanced()).isTrue();
    assertThat(world.tables.get(Route.DEAD).rows).hasSize(2);
  }

  @Test
  void runningAgainTakesNothingTwice() throws InterruptedException {
    World world = new World(2);
    world.fill(2, 50);
    drain(world, DRAIN);
    Map<String, List<String>> once = contents(world);
    drain(world, DRAIN);
    assertThat(contents(world)).isEqualTo(once);
    assertThat(world.tally.tally("p").counts().taken()).isEqualTo(100);
  }

  @Test
  void aBufferIsFlushedWhenItIsOldEnough() throws InterruptedException {
    AtomicReference<Instant> now = new AtomicReference<>(Instant.EPOCH);
    InstantSource clock = now::get;
    World world = new World(3);
    world.fill(1, 5);
    FlushPolicy policy = FlushPolicy.DEFAULT.withAge(Duration.ofSeconds(10));
    RunOptions options = RunOptions.untilDrained(false).withClock(clock);
    try (PipelineRun run = world.start(World.pipeline(policy), options)) {
      while (run.progress().taken() < 5) {
        Thread.onSpinWait();
      }
      assertThat(run.progress().loaded() + run.progress().dead()).isZero();
      assertThat(run.progress().held()).isPositive();
      now.set(Instant.EPOCH.plusSeconds(10));
      while (run.progress().held() > 0) {
        Thread.onSpinWait();
      }
      assertThat(world.tally.tally("p").counts().taken()).isEqualTo(5);
    }
  }

  @Test
  void stoppingFlushesAndAccountsForWhatIsHeld() throws InterruptedException {
    World world = new World(4);
    world.fill(2, 200);
    FlushPolicy never = FlushPolicy.DEFAULT.withAge(Duration.ofDays(1));
    PipelineRun run = world.start(World.pipeline(never), RunOptions.untilDrained(false));
    while (run.progress().taken() < 100) {
      Thread.onSpinWait();
    }
    run.close();
    Tally tally = world.tally.tally("p");
    assertThat(tally.balanced()).isTrue();
    assertThat(tally.counts().taken())
        .isEqualTo(run.progress().taken())
        .isGreaterThanOrEqualTo(100);
    assertThat(run.progress().held()).isZero();
  }

  @Test
  void aFailureEndsTheRunAndSaysWhy() {
    World world = new World(5);
    world.fill(1, 200);
    world.failuresLeft = 1;
    assertThatThrownBy(() -> drain(world, DRAIN))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("failed, as it may");
  }

  @Test
  void littleMemoryIsEnough() throws InterruptedException {
    World world = new World(6);
    world.fill(3, 300);
    drain(world, DRAIN.withLanes(2).withMemory(10, 100));
    assertThat(world.tally.tally("p").counts().taken()).isEqualTo(900);
  }
}
