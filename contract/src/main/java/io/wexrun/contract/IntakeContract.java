package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.framing.Framings;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Backlog;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/**
 * What every {@link Intake} must do. An implementation's test extends this, and adds records to the
 * sources that it reads.
 */
public abstract class IntakeContract {
  /** Names of sources that {@link #append} may be asked for; at least two. */
  protected abstract List<String> sources();

  /** Adds records at the end of a source, which is made if it is not there. */
  protected abstract void append(String source, String... records);

  /**
   * Opens the intake.
   *
   * @param known what was taken from before
   */
  protected abstract Intake open(List<KnownSource> known);

  /** Whether a source gets more records; else what is added to it is a source of its own. */
  protected boolean grows() {
    return true;
  }

  private String first() {
    return sources().get(0);
  }

  private String second() {
    return sources().get(1);
  }

  /** The state of a pipeline that takes from the intake: what it would know after a restart. */
  private final class Taker {
    final Map<SourcePartition, Long> positions = new HashMap<>();
    final Map<SourcePartition, Identity> identities = new HashMap<>();
    final Map<SourcePartition, TreeMap<Long, String>> records = new HashMap<>();
    private Intake intake;
    private Assigner assigner;

    void open() {
      List<KnownSource> known = new ArrayList<>();
      positions.forEach(
          (s, p) -> known.add(new KnownSource(s, Optional.ofNullable(identities.get(s)), p)));
      intake = IntakeContract.this.open(known);
      assigner =
          new Assigner(
              intake,
              source -> {
                source.identity().ifPresent(id -> identities.put(source.partition(), id));
                return positions.computeIfAbsent(source.partition(), s -> source.start());
              });
    }

    /** Takes a block; what it says must follow what was taken before, and repeat it exactly. */
    Optional<Block> take() {
      Optional<Block> block = assigner.next(Duration.ofMillis(1));
      block.ifPresent(this::note);
      return block;
    }

    private void note(Block block) {
      SourcePartition source = block.source();
      assertThat(block.first()).as("the next of %s", source).isEqualTo(positions.get(source));
      assertThat(block.end()).isGreaterThan(block.first());
      Records cut = block.records();
      long last = -1;
      for (int i = 0; i < cut.count(); i++) {
        long position = cut.position(i);
        assertThat(position).isGreaterThan(last).isBetween(block.first(), block.end() - 1);
        String text = new String(cut.bytes(i), StandardCharsets.UTF_8);
        String before = records.computeIfAbsent(source, s -> new TreeMap<>()).put(position, text);
        assertThat(before).as("%s at %d again", source, position).isIn(null, text);
        last = position;
      }
      positions.put(source, block.end());
    }

    void drain() {
      Optional<Block> block = take();
      while (block.isPresent() || !intake.drained()) {
        block = take();
      }
    }

    List<String> all() {
      List<String> all = new ArrayList<>();
      records.values().forEach(each -> all.addAll(each.values()));
      return all;
    }
  }

  @Test
  void everyRecordComesOnceAndInOrder() {
    append(first(), "one", "two");
    append(second(), "three");
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    assertThat(taker.all()).containsExactlyInAnyOrder("one", "two", "three");
    append(first(), "four");
    taker.drain();
    assertThat(taker.all()).hasSize(4).contains("four");
    taker.intake.close();
  }

  @Test
  void whatIsLeftIsKnownUntilItIsTaken() {
    append(first(), "one", "two");
    Taker taker = new Taker();
    taker.open();
    taker.assigner.look();
    Optional<Backlog> before = taker.intake.backlog();
    taker.drain();
    Optional<Backlog> after = taker.intake.backlog();
    assertThat(after.isPresent()).isEqualTo(before.isPresent());
    if (before.isPresent()) {
      assertThat(before.get().left()).isPositive();
      assertThat(after.get().left()).isZero();
      assertThat(after.get().done()).isPositive();
      assertThat(after.get().share()).isEqualTo(1);
    }
    taker.intake.close();
  }

  @Test
  void oneThatListensIsPolledWithoutWaitingAndMissesNothing() throws Exception {
    append(first(), "one");
    Taker taker = new Taker();
    taker.open();
    boolean listens = taker.intake.listen(() -> {});
    taker.drain();
    append(first(), "two");
    long patience = taker.intake.patience().toNanos() + 20_000_000_000L;
    long until = System.nanoTime() + patience;
    while (listens && !taker.all().contains("two")) {
      assertThat(System.nanoTime()).as("it comes in time").isLessThan(until);
      taker.assigner.look();
      taker.intake.poll(Duration.ZERO).ifPresent(taker::note);
      Thread.sleep(1);
    }
    taker.drain();
    assertThat(taker.all()).containsExactlyInAnyOrder("one", "two");
    taker.intake.close();
  }

  @Test
  void itGoesOnWhereItWasAndForgetsNothingThatCameMeanwhile() {
    append(first(), "one", "two");
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    taker.intake.close();
    append(first(), "three");
    append(second(), "four");
    taker.open();
    taker.drain();
    assertThat(taker.all()).containsExactlyInAnyOrder("one", "two", "three", "four");
    taker.intake.close();
  }

  @Test
  void whatIsAssignedAgainComesAgainFromAnyRecordOn() {
    append(first(), "one", "two", "three", "four");
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    SourcePartition source = taker.records.keySet().iterator().next();
    List<Long> places = new ArrayList<>(taker.records.get(source).keySet());
    for (long place : places) {
      taker.positions.put(source, place);
      taker.intake.assign(source, place);
      taker.drain();
      assertThat(taker.positions.get(source)).isGreaterThan(places.get(3));
    }
    assertThat(taker.all()).containsExactly("one", "two", "three", "four");
    taker.intake.close();
  }

  @Test
  void whatIsRevokedComesNoMoreUntilItIsAssignedAgain() {
    append(first(), "one");
    append(second(), "two");
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    Map<String, SourcePartition> byRecord = new HashMap<>();
    taker.records.forEach(
        (source, records) -> byRecord.put(records.firstEntry().getValue(), source));
    SourcePartition revoked = byRecord.get("one");
    taker.intake.revoke(revoked);
    if (!grows()) {
      taker.intake.assign(revoked, 0);
      taker.positions.put(revoked, 0L);
      taker.intake.revoke(revoked);
      taker.drain();
      assertThat(taker.positions.get(revoked)).isZero();
      taker.intake.close();
      return;
    }
    append(first(), "more of one");
    append(second(), "more of two");
    taker.drain();
    assertThat(taker.all()).containsExactlyInAnyOrder("one", "two", "more of two");
    taker.intake.assign(revoked, taker.positions.get(revoked));
    taker.drain();
    assertThat(taker.all()).hasSize(4);
    taker.intake.close();
  }

  @Test
  void sourcesAreTheSameAndSoIsWhoTheyAre() {
    append(first(), "one");
    append(second(), "two");
    Intake intake = open(List.of());
    Map<SourcePartition, Optional<Identity>> found = new LinkedHashMap<>();
    intake.look().forEach(source -> found.put(source.partition(), source.identity()));
    assertThat(found).hasSize(2);
    assertThat(found.values().stream().flatMap(Optional::stream)).doesNotHaveDuplicates();
    intake.close();
    Intake again = open(List.of());
    for (Source source : again.look()) {
      assertThat(source.identity()).isEqualTo(found.get(source.partition()));
    }
    again.close();
  }

  @Test
  void whatIsDurableOrAccountedForMayBeTold() {
    append(first(), "one", "two");
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    taker.intake.durable(Map.copyOf(taker.positions));
    taker.intake.accounted(Map.copyOf(taker.positions));
    append(first(), "three");
    taker.drain();
    assertThat(taker.all()).contains("three");
    taker.intake.close();
  }

  @Test
  void blocksCanWaitOnDiskSinceTheirFramingHasAName() {
    append(first(), "one", "two");
    Taker taker = new Taker();
    taker.open();
    Block block = taker.take().orElseThrow();
    taker.intake.close();
    assertThat(framing(block.framing().form()).cut(block).count())
        .isEqualTo(block.records().count());
  }

  /** The framing of a name; one that is not among those all intakes share overrides this. */
  protected Framing framing(String form) {
    return Framings.named(form).orElseThrow(() -> new AssertionError("no framing '" + form + "'"));
  }

  @Test
  void nothingThereIsDrained() {
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    assertThat(taker.all()).isEmpty();
    taker.intake.close();
  }

  @Test
  void closingFreesWhoPolls() throws InterruptedException {
    append(first(), "one");
    Taker taker = new Taker();
    taker.open();
    taker.drain();
    Thread poller = new Thread(() -> taker.intake.poll(Duration.ofSeconds(2)));
    poller.start();
    taker.intake.close();
    poller.join(Duration.ofSeconds(20).toMillis());
    assertThat(poller.isAlive()).isFalse();
  }

  static LongStream seeds() {
    return Seeds.some(8);
  }

  /** Sources grow, runs end at any moment, and go on where the tally was by then. */
  @ParameterizedTest
  @MethodSource("seeds")
  void whateverTheCallThatACrashComesAfterEachRecordComes(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    Map<String, List<String>> written = new TreeMap<>();
    Taker taker = new Taker();
    Map<SourcePartition, Long> tally = new HashMap<>();
    for (int life = 0; life < 6; life++) {
      taker.positions.clear();
      taker.positions.putAll(tally);
      taker.open();
      for (int calls = dice.nextInt(2, 30); calls > 0; calls--) {
        int what = dice.nextInt(4);
        if (what == 0) {
          String source = sources().get(dice.nextInt(2));
          List<String> all = written.computeIfAbsent(source, s -> new ArrayList<>());
          String[] more = new String[dice.nextInt(1, 5)];
          for (int i = 0; i < more.length; i++) {
            more[i] = source + " " + all.size() + " x".repeat(dice.nextInt(40));
            all.add(more[i]);
          }
          append(source, more);
        } else if (what == 1) {
          tally.putAll(taker.positions);
          taker.intake.accounted(Map.copyOf(tally));
        } else {
          taker.take();
        }
      }
      if (dice.nextBoolean()) {
        taker.intake.close();
      }
    }
    taker.positions.clear();
    taker.positions.putAll(tally);
    taker.open();
    taker.drain();
    taker.intake.close();
    List<String> expected = new ArrayList<>();
    written.values().forEach(expected::addAll);
    assertThat(taker.all()).as("seed %d", seed).containsExactlyInAnyOrderElementsOf(expected);
    taker.records.forEach(
        (source, records) -> {
          String name = records.firstEntry().getValue().split(" ")[0];
          if (grows()) {
            assertThat(records.values())
                .as("seed %d", seed)
                .containsExactlyElementsOf(written.get(name));
          } else {
            assertThat(written.get(name)).as("seed %d", seed).containsSubsequence(records.values());
          }
        });
  }
}
