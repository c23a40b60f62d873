package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.FlushPolicy;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Tally;
import java.time.Duration;
import java.time.Instant;
import java.time.InstantSource;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.atomic.AtomicReference;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import org.junit.jupiter.api.Test;

class PipelineRunTest {
  private static final FlushPolicy SMALL = FlushPolicy.DEFAULT.withRows(7);
  private static final RunOptions DRAIN = RunOptions.untilDrained(true);

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
    RunOptions tight = new RunOptions(true, 2, 10, 100, InstantSource.system());
    drain(world, tight);
    assertThat(world.tally.tally("p").counts().taken()).isEqualTo(900);
  }
}
