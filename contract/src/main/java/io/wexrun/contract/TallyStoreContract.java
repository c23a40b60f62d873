package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.Revival;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.tally.TimeTally;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** What every {@link TallyStore} must do. An implementation's test extends this. */
public abstract class TallyStoreContract {
  /** A source partition. */
  protected static final SourcePartition A = new SourcePartition("a.log");

  private static final OptionalLong NEWEST = OptionalLong.of(7_000_000);

  /** Another source partition. */
  protected static final SourcePartition B = new SourcePartition("incoming/b 'quoted' é.log");

  /** Opens the store, over what was written before; what was opened before may still be open. */
  protected abstract TallyStore open();

  private static Counts counts(long loaded, long dead, long dropped) {
    return new Counts(
        loaded + dead + dropped,
        0,
        0,
        loaded == 0 ? Map.of() : Map.of("scans", loaded),
        dead == 0 ? Map.of() : Map.of(Reason.NO_MATCH, dead),
        dropped);
  }

  private static Account account(SourcePartition source, long from, long to) {
    return new Account(source, from, to, counts(to - from, 0, 0));
  }

  @Test
  void countsAndPositionsAreOneAccount() {
    TallyStore tally = open();
    tally.account("p", List.of(new Account(A, 0, 100, counts(8, 1, 1))));
    tally.account(
        "p",
        List.of(new Account(A, 100, 150, counts(5, 0, 0)), new Account(B, 7, 70, counts(3, 2, 0))));
    TallyStore again = open();
    assertThat(again.positions("p")).isEqualTo(Map.of(A, 150L, B, 70L));
    Counts sum = new Counts(20, 0, 0, Map.of("scans", 16L), Map.of(Reason.NO_MATCH, 3L), 1);
    assertThat(again.tally("p")).isEqualTo(new Tally("p", sum, 0, 2));
    assertThat(again.tally("p").balanced()).isTrue();
  }

  @Test
  void whatNeverRanHasEmptyBooks() {
    TallyStore tally = open();
    tally.account("p", List.of(account(A, 0, 1)));
    assertThat(tally.positions("other")).isEmpty();
    assertThat(tally.sources("other")).isEmpty();
    assertThat(tally.tally("other")).isEqualTo(new Tally("other", Counts.NONE, 0, 0));
  }

  @Test
  void unfoldedCopiedAndSeveralTargetsAreSummed() {
    TallyStore tally = open();
    Counts counts =
        new Counts(
            10, 4, 3, Map.of("a", 9L, "b", 5L), Map.of(Reason.REFUSED, 2L, Reason.TOO_LONG, 1L), 0);
    tally.account("p", List.of(new Account(A, 0, 5, counts)));
    tally.account("p", List.of(new Account(A, 5, 9, counts)));
    assertThat(open().tally("p").counts()).isEqualTo(counts.plus(counts));
  }

  @Test
  void deadLettersThatAreRevivedAreNotDeadAnyMoreAndAreTakenOnce() {
    TallyStore tally = open();
    tally.account(
        "p", List.of(new Account(A, 0, 9, counts(4, 5, 0)), new Account(B, 0, 9, counts(0, 3, 0))));
    SourcePartition replay = ReplaySource.of(1, Instant.EPOCH, 0);
    Counts counts = new Counts(6, 2, 0, Map.of("scans", 5L), Map.of(Reason.BAD_VALUE, 2L), 1);
    List<Revival> revivals =
        List.of(
            new Revival(A, Map.of(Reason.NO_MATCH, -4L)),
            new Revival(B, Map.of(Reason.NO_MATCH, -2L)),
            new Revival(A, Map.of(Reason.BAD_VALUE, 2L)));
    tally.account(
        "p", List.of(new Account(replay, 0, 8, counts, Map.of("t", 7L), revivals, NEWEST)));
    Tally books = open().tally("p");
    assertThat(books.counts())
        .isEqualTo(
            new Counts(
                12,
                2,
                0,
                Map.of("scans", 9L),
                Map.of(Reason.NO_MATCH, 2L, Reason.BAD_VALUE, 2L),
                1));
    assertThat(books.balanced()).isTrue();
    assertThat(books.revived()).as("without what was dropped").isEqualTo(3);
    assertThat(books.sources()).as("a replay is no source").isEqualTo(2);
    assertThat(open().positions("p")).containsEntry(replay, 8L);
    Map<SourcePartition, SourceTally> bySource = open().bySource("p");
    assertThat(bySource).containsOnlyKeys(A, B, replay);
    assertThat(bySource.values()).allMatch(SourceTally::balanced);
    assertThat(bySource.get(A).counts().dead())
        .isEqualTo(Map.of(Reason.NO_MATCH, 1L, Reason.BAD_VALUE, 2L));
    assertThat(bySource.get(A).revived()).isEqualTo(2);
    assertThat(bySource.get(A).began()).hasValue(0);
    assertThat(bySource.get(A).newest()).isEmpty();
    assertThat(bySource.get(replay).newest()).contains(Instant.ofEpochSecond(7));
    for (TimeTally.Unit unit : TimeTally.Unit.values()) {
      List<TimeTally> over = open().over("p", unit);
      assertThat(over.stream().mapToLong(TimeTally::taken).sum()).isEqualTo(12);
      assertThat(over.stream().mapToLong(TimeTally::loaded).sum()).isEqualTo(9);
      assertThat(over.stream().mapToLong(TimeTally::died).sum()).isEqualTo(8);
      assertThat(over.stream().mapToLong(TimeTally::revived).sum()).isEqualTo(3);
      assertThat(over.get(0).since()).isBeforeOrEqualTo(Instant.now());
    }
    assertThat(open().over("other", TimeTally.Unit.DAY)).isEmpty();
    assertThat(bySource.get(replay).counts().taken()).as("those that passed").isEqualTo(4);
  }

  @Test
  void valuesThatWereIgnoredAreSummedByFieldAndDoNotTouchTheBalance() {
    TallyStore tally = open();
    Map<String, Long> ignored = Map.of("scans.line", 2L, "scans.odd 'name'", 1L);
    Counts counts = new Counts(3, 0, 0, Map.of("scans", 3L), Map.of(), 0, ignored);
    tally.account("p", List.of(new Account(A, 0, 5, counts), new Account(B, 0, 5, counts)));
    assertThat(open().tally("p").counts()).isEqualTo(counts.plus(counts));
    assertThat(open().tally("p").counts().ignored()).containsEntry("scans.line", 4L);
    assertThat(open().tally("p").balanced()).isTrue();
  }

  @Test
  void anAccountThatDoesNotGoOnWhereTheTallyEndsChangesNothing() {
    TallyStore slow = open();
    TallyStore fast = open();
    slow.account("p", List.of(account(A, 0, 100)));
    fast.account("p", List.of(account(A, 100, 200)));
    assertThatThrownBy(() -> slow.account("p", List.of(account(B, 0, 5), account(A, 100, 180))))
        .isInstanceOfSatisfying(
            OutsideException.class,
            e -> {
              assertThat(e.lasting()).as("it is of no use to try again").isTrue();
              assertThat(e.getMessage()).contains("100", "a.log", "p");
            });
    assertThat(slow.positions("p")).isEqualTo(Map.of(A, 200L));
    assertThat(slow.tally("p").counts().taken()).isEqualTo(200);
    assertThatThrownBy(() -> slow.account("p", List.of(account(A, 100, 180))))
        .isInstanceOf(OutsideException.class);
    assertThatThrownBy(() -> slow.account("p", List.of(account(A, 300, 400))))
        .isInstanceOf(OutsideException.class);
  }

  @Test
  void itIsKnownWhoTheTargetsAreAndHowFarTheyHaveCome() {
    Identity one = Identity.fresh();
    TallyStore tally = open();
    assertThat(tally.targets("p")).isEmpty();
    tally.identifyTargets("p", Map.of("t", Optional.of(one), "q", Optional.empty()));
    tally.account("p", List.of(new Account(A, 0, 9, counts(9, 0, 0), Map.of("t", 7L))));
    tally.account("p", List.of(new Account(A, 9, 20, counts(9, 0, 0), Map.of("t", 18L, "q", 12L))));
    assertThat(open().targets("p"))
        .containsExactlyInAnyOrder(
            new KnownTarget("t", Optional.of(one), Map.of(A, 18L)),
            new KnownTarget("q", Optional.empty(), Map.of(A, 12L)));
    Identity other = Identity.fresh();
    tally.identifyTargets("p", Map.of("t", Optional.of(other)));
    assertThat(open().targets("p"))
        .contains(new KnownTarget("t", Optional.of(other), Map.of(A, 18L)))
        .hasSize(2);
    assertThat(open().targets("other")).isEmpty();
  }

  @Test
  void itIsKnownWhoTheSourcesAre() {
    Identity one = Identity.fresh();
    Identity two = Identity.fresh();
    TallyStore tally = open();
    tally.identify("p", Map.of(A, one, B, two));
    assertThat(tally.sources("p")).as("nothing was taken").isEmpty();
    assertThat(open().begun("p"))
        .as("a target may have their rows")
        .containsExactlyInAnyOrder(
            new KnownSource(A, Optional.of(one), 0), new KnownSource(B, Optional.of(two), 0));
    assertThat(open().begun("q")).isEmpty();
    tally.account("p", List.of(account(A, 0, 10)));
    assertThat(open().begun("p")).containsExactly(new KnownSource(B, Optional.of(two), 0));
    tally.account("p", List.of(account(B, 3, 5)));
    assertThat(open().begun("p")).isEmpty();
    tally.identify("p", Map.of(B, one));
    tally.identify("q", Map.of(B, two));
    assertThat(open().sources("p"))
        .containsExactlyInAnyOrder(
            new KnownSource(A, Optional.of(one), 10), new KnownSource(B, Optional.of(one), 5));
    tally.account("r", List.of(account(A, 0, 2)));
    assertThat(open().sources("r")).containsExactly(new KnownSource(A, Optional.empty(), 2));
  }

  static LongStream seeds() {
    return Seeds.some(4);
  }

  /** Two that write in turn, each believing what it read; positions and counts always agree. */
  @ParameterizedTest
  @MethodSource("seeds")
  void whoeverWritesPositionsAndCountsAgree(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    TallyStore[] stores = {open(), open()};
    List<Map<SourcePartition, Long>> known = List.of(new TreeMap<>(), new TreeMap<>());
    for (int step = 0; step < 60; step++) {
      int who = dice.nextInt(2);
      if (dice.nextInt(3) == 0) {
        known.get(who).clear();
        known.get(who).putAll(stores[who].positions("p"));
        continue;
      }
      SourcePartition source = dice.nextBoolean() ? A : B;
      long from = known.get(who).getOrDefault(source, 0L);
      long to = from + dice.nextInt(1, 20);
      try {
        stores[who].account("p", List.of(account(source, from, to)));
        known.get(who).put(source, to);
      } catch (OutsideException e) {
        assertThat(e.lasting()).isTrue();
      }
    }
    Map<SourcePartition, Long> positions = open().positions("p");
    long sum = positions.values().stream().mapToLong(Long::longValue).sum();
    assertThat(open().tally("p").counts().taken()).as("seed %d", seed).isEqualTo(sum);
  }
}
