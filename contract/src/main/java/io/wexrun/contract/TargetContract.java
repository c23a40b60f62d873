package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assumptions.assumeThat;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/**
 * What every {@link Target} must do. An implementation's test extends this, and opens targets that
 * keep the text of column {@code key} and the records' bytes, over what was committed before.
 */
public abstract class TargetContract {
  /** The one column of the rows; in a queue it is the key. */
  protected static final Schema SCHEMA = Schema.of(Column.of("key", Type.Scalar.TEXT));

  /** A source partition. */
  protected static final SourcePartition A = new SourcePartition("a.log");

  /** Another source partition. */
  protected static final SourcePartition B = new SourcePartition("b/c.log");

  /** What a key ends with that a target may refuse. */
  protected static final String REFUSED = "-refused";

  /** Opens the target for a writer; what was opened before may still be open. */
  protected abstract Target open(String writer);

  /** The keys of everything that is committed, in any order. */
  protected abstract List<String> committed();

  /**
   * The process has died: what was opened and not closed is gone. The next call opens again.
   * Without an own way to do so, what was opened is just not used any more.
   */
  protected void crash() {}

  /**
   * Makes the store refuse rows whose key ends with {@link #REFUSED}; false if it never refuses.
   */
  protected boolean refuses() {
    return false;
  }

  /**
   * Rows with positions {@code from} to {@code to} of a source, whose keys say where they are from.
   */
  protected static Flush.Part part(SourcePartition source, int from, int to) {
    return part(source, from, to, "");
  }

  private static Flush.Part part(SourcePartition source, int from, int to, String ending) {
    String[] keys =
        IntStream.range(from, to).mapToObj(i -> source + "-" + i + ending).toArray(String[]::new);
    return part(source, from, to, keys);
  }

  /** Rows with keys, one for each position. */
  protected static Flush.Part part(SourcePartition source, int from, int to, String... keyTexts) {
    int count = to - from;
    byte[] data = "x".repeat(count).getBytes(StandardCharsets.US_ASCII);
    int[] starts = IntStream.range(0, count).toArray();
    int[] ends = IntStream.rangeClosed(1, count).toArray();
    TextVector keys = new TextVector(count, 16);
    Arrays.stream(keyTexts).forEach(keys::append);
    Records records = Records.numbered(data, starts, ends, count, from, null);
    Batch batch = new Batch(SCHEMA, List.of(keys), count, records, starts);
    return new Flush.Part(source, from, to, Rows.all(batch));
  }

  /** A flush of some parts. */
  protected static Flush flush(Flush.Part... parts) {
    return new Flush(List.of(parts));
  }

  /** The keys that {@link #part(SourcePartition, int, int)} gives. */
  protected static List<String> keys(SourcePartition source, int from, int to) {
    return IntStream.range(from, to).mapToObj(i -> source + "-" + i).toList();
  }

  private static List<String> all(List<String> some, List<String> more) {
    List<String> both = new ArrayList<>(some);
    both.addAll(more);
    return both;
  }

  @Test
  void aCommitWritesRowsAndProgressTogether() {
    try (Target target = open("p")) {
      assertThat(target.progress()).isEmpty();
      Receipt receipt = target.stage(flush(part(A, 0, 10), part(B, 5, 8))).commit();
      assertThat(receipt).isEqualTo(new Receipt(13, 0));
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(all(keys(A, 0, 10), keys(B, 5, 8)));
    try (Target again = open("p")) {
      assertThat(again.progress()).containsEntry(A, 10L).containsEntry(B, 8L).hasSize(2);
    }
  }

  @Test
  void rowsThatWereCommittedBeforeAreSkippedHoweverTheyAreCut() {
    try (Target target = open("p")) {
      target.stage(flush(part(A, 0, 10))).commit();
    }
    try (Target again = open("p")) {
      assertThat(again.stage(flush(part(A, 0, 4))).commit()).isEqualTo(new Receipt(0, 4));
      assertThat(again.stage(flush(part(A, 4, 13))).commit()).isEqualTo(new Receipt(3, 6));
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(keys(A, 0, 13));
  }

  @Test
  void progressNeverGoesBack() {
    try (Target target = open("p")) {
      target.stage(flush(part(A, 0, 10))).commit();
    }
    try (Target again = open("p")) {
      again.stage(flush(part(A, 0, 4))).commit();
    }
    try (Target third = open("p")) {
      assertThat(third.progress()).containsEntry(A, 10L);
      assertThat(third.stage(flush(part(A, 4, 10))).commit()).isEqualTo(new Receipt(0, 6));
    }
  }

  @Test
  void rangesOfSourcesTakeTurnsAndMayLeaveGaps() {
    try (Target target = open("p")) {
      Receipt receipt = target.stage(flush(part(A, 3, 5), part(B, 0, 2), part(A, 9, 12))).commit();
      assertThat(receipt).isEqualTo(new Receipt(7, 0));
      assertThat(target.stage(flush(part(A, 20, 21))).commit()).isEqualTo(new Receipt(1, 0));
    }
    try (Target again = open("p")) {
      assertThat(again.progress()).containsEntry(A, 21L).containsEntry(B, 2L);
    }
    assertThat(committed()).hasSize(8);
  }

  @Test
  void pipelinesHaveProgressOfTheirOwn() {
    try (Target one = open("one")) {
      one.stage(flush(part(A, 0, 3))).commit();
    }
    try (Target two = open("two")) {
      assertThat(two.progress()).isEmpty();
      two.stage(flush(part(A, 0, 2))).commit();
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(all(keys(A, 0, 3), keys(A, 0, 2)));
  }

  @Test
  void whatIsStagedAndNotCommittedIsRolledBackWhenTheTargetIsClosed() {
    try (Target target = open("p")) {
      target.stage(flush(part(A, 0, 5))).commit();
      Staged lost = target.stage(flush(part(A, 5, 9)));
      assertThat(lost).isNotNull();
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(keys(A, 0, 5));
    try (Target again = open("p")) {
      assertThat(again.progress()).containsEntry(A, 5L);
      assertThat(again.stage(flush(part(A, 5, 12))).commit()).isEqualTo(new Receipt(7, 0));
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(keys(A, 0, 12));
  }

  @Test
  void flushesStagedSideBySideAreCommittedInOrder() {
    try (Target target = open("p")) {
      int taken = 0;
      for (int round = 0; round < 3; round++) {
        List<Staged> staged = new ArrayList<>();
        for (int i = 0; i < target.parallelism(); i++) {
          staged.add(target.stage(flush(part(A, taken, taken + 10))));
          taken += 10;
        }
        staged.forEach(s -> assertThat(s.commit()).isEqualTo(new Receipt(10, 0)));
      }
      assertThat(committed()).containsExactlyInAnyOrderElementsOf(keys(A, 0, taken));
    }
  }

  @Test
  void aTargetThatWasOvertakenCannotCommit() {
    try (Target slow = open("p")) {
      slow.stage(flush(part(A, 0, 3))).commit();
      try (Target fast = open("p")) {
        fast.stage(flush(part(A, 3, 10), part(B, 0, 2))).commit();
      }
      assertOvertaken(slow, flush(part(B, 0, 2)));
    }
    try (Target slow = open("p")) {
      Staged late = null;
      try {
        late = slow.stage(flush(part(A, 10, 12)));
      } catch (OutsideException e) {
        throw new AssertionError("nobody has overtaken it yet", e);
      }
      assertThat(late).isNotNull();
      late.commit();
      try (Target fast = open("p")) {
        fast.stage(flush(part(A, 12, 20))).commit();
      }
      assertOvertaken(slow, flush(part(A, 12, 15)));
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(all(keys(A, 0, 20), keys(B, 0, 2)));
  }

  /** A run and a replay of dead letters beside it. */
  @Test
  void twoOfOneWriterGoOnSideBySideEachWithSourcesOfItsOwn() {
    try (Target run = open("p")) {
      run.stage(flush(part(A, 0, 3))).commit();
      try (Target replay = open("p")) {
        for (int i = 0; i < 4; i++) {
          replay.stage(flush(part(B, 2 * i, 2 * i + 2))).commit();
          run.stage(flush(part(A, 3 + i, 4 + i))).commit();
        }
      }
      run.stage(flush(part(A, 7, 9))).commit();
    }
    try (Target again = open("p")) {
      assertThat(again.progress()).containsEntry(A, 9L).containsEntry(B, 8L);
      assertThat(again.stage(flush(part(A, 0, 9), part(B, 0, 8))).commit())
          .isEqualTo(new Receipt(0, 17));
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(all(keys(A, 0, 9), keys(B, 0, 8)));
  }

  private static void assertOvertaken(Target slow, Flush flush) {
    assertThatThrownBy(() -> slow.stage(flush).commit())
        .isInstanceOfSatisfying(
            OutsideException.class,
            e ->
                assertThat(e.lasting())
                    .as("it is of no use to try again: %s", e.getMessage())
                    .isTrue());
  }

  @Test
  void whoIsOvertakenWhileItsFlushIsStagedCannotCommitIt() {
    try (Target slow = open("p")) {
      Staged staged;
      try {
        staged = slow.stage(flush(part(A, 0, 3)));
      } catch (OutsideException e) {
        throw new AssertionError("nobody has overtaken it yet", e);
      }
      try (Target fast = open("p")) {
        // A target that cannot stage beside another one fails here, which is as good.
        assumeThat(commits(fast)).isTrue();
      }
      assertThatThrownBy(staged::commit).isInstanceOf(OutsideException.class);
    }
    assertThat(committed()).doesNotHaveDuplicates().containsAll(keys(A, 0, 3));
  }

  private static boolean commits(Target fast) {
    try {
      return fast.stage(flush(part(A, 0, 5))).commit().written() == 5;
    } catch (OutsideException e) {
      return false;
    }
  }

  static LongStream seeds() {
    return Seeds.some(8);
  }

  /** What a run does: takes again behind what it knows is done, in pieces of any size. */
  @ParameterizedTest
  @MethodSource("seeds")
  void whateverTheCallThatACrashComesAfterEachRowIsThereOnce(long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    int[] done = new int[2];
    int lives = 0;
    while (done[0] < 60 || done[1] < 60) {
      Target target = open("p");
      int[] next = done.clone();
      int calls = lives++ < 12 ? dice.nextInt(1, 9) : Integer.MAX_VALUE;
      while (calls > 0 && (next[0] < 60 || next[1] < 60)) {
        Flush flush = piece(next, dice);
        calls--;
        Staged staged = target.stage(flush);
        if (calls-- <= 0) {
          break;
        }
        Receipt receipt = staged.commit();
        assertThat(receipt.rows()).as("seed %d", seed).isEqualTo(flush.rows());
        if (dice.nextBoolean()) {
          done = next.clone(); // The tally has it, or had no time to.
        }
      }
      if (dice.nextBoolean()) {
        target.close();
      } else {
        crash();
      }
      if (calls > 0) {
        break;
      }
    }
    assertThat(committed())
        .as("seed %d", seed)
        .containsExactlyInAnyOrderElementsOf(all(keys(A, 0, 60), keys(B, 0, 60)));
  }

  private static Flush piece(int[] next, SplittableRandom dice) {
    List<Flush.Part> parts = new ArrayList<>();
    while (parts.isEmpty()) {
      for (int left = dice.nextInt(1, 4); left > 0; left--) {
        int s = dice.nextInt(2);
        int to = Math.min(60, next[s] + dice.nextInt(1, 12));
        if (to > next[s]) {
          parts.add(part(s == 0 ? A : B, next[s], to));
          next[s] = to;
        }
      }
    }
    return new Flush(parts);
  }

  @Test
  void refusedRowsComeBackInTheReceiptUntilTheyAreAccountedFor() {
    assumeThat(refuses()).isTrue();
    Flush.Part mixed = part(A, 0, 4, "a", "b" + REFUSED, "c", "d" + REFUSED);
    List<Long> refused = List.of(1L, 3L);
    try (Target target = open("p")) {
      Receipt receipt = target.stage(flush(mixed, part(B, 0, 2))).commit();
      assertThat(receipt.written()).isEqualTo(4);
      assertThat(receipt.refused()).extracting(Refusal::position).isEqualTo(refused);
      assertThat(receipt.refused()).allMatch(r -> r.source().equals(A) && !r.why().isEmpty());
    }
    crash();
    try (Target again = open("p")) {
      assertThat(again.progress()).containsEntry(A, 4L);
      Receipt receipt = again.stage(flush(mixed)).commit();
      assertThat(receipt.written()).isZero();
      assertThat(receipt.skipped()).isEqualTo(2);
      assertThat(receipt.refused()).extracting(Refusal::position).isEqualTo(refused);
      Receipt more = again.stage(flush(part(A, 4, 6, "e", "f" + REFUSED), part(B, 2, 3))).commit();
      assertThat(more.refused()).extracting(Refusal::position).containsExactly(5L);
      again.accounted(Map.of(A, 4L));
    }
    try (Target third = open("p")) {
      Receipt receipt = third.stage(flush(part(A, 4, 6, "e", "f" + REFUSED))).commit();
      assertThat(receipt.refused()).extracting(Refusal::position).containsExactly(5L);
    }
    assertThat(committed()).containsExactlyInAnyOrder("a", "c", "e", B + "-0", B + "-1", B + "-2");
  }

  @Test
  void aTargetKnowsWhoItIs() {
    try (Target target = open("p");
        Target same = open("q")) {
      assertThat(target.identity()).isEqualTo(same.identity());
    }
  }
}
