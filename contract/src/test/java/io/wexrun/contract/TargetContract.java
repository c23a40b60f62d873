package io.wexrun.contract;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

/**
 * What every {@link Target} must do. An implementation's test extends this, and opens targets that
 * keep the text of column {@code key} and the records' bytes, over what was committed before.
 */
public abstract class TargetContract {
  /** The one column of the rows; in a queue it is the key. */
  protected static final Schema SCHEMA = Schema.of(Column.of("key", Type.Scalar.TEXT));

  protected static final SourcePartition A = new SourcePartition("a.log");
  protected static final SourcePartition B = new SourcePartition("b.log");

  /** Opens the target for a pipeline, after a crash or an orderly end of the one before. */
  protected abstract Target open(String pipeline);

  /** The keys of everything that is committed, in any order. */
  protected abstract List<String> committed();

  /**
   * Rows with positions {@code from} to {@code to} of a source, whose keys say where they are from.
   */
  protected static Flush.Part part(SourcePartition source, int from, int to) {
    int count = to - from;
    byte[] data = "x".repeat(count).getBytes(StandardCharsets.US_ASCII);
    int[] starts = IntStream.range(0, count).toArray();
    int[] ends = IntStream.rangeClosed(1, count).toArray();
    TextVector keys = new TextVector(count, 16);
    for (int i = from; i < to; i++) {
      keys.append(source + "-" + i);
    }
    Records records = Records.numbered(data, starts, ends, count, from, null);
    Batch batch = new Batch(SCHEMA, List.of(keys), count, records, starts);
    return new Flush.Part(source, from, to, Rows.all(batch));
  }

  protected static Flush flush(Flush.Part... parts) {
    return new Flush(List.of(parts));
  }

  /** The keys that {@link #part} gives. */
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
  void whatWasStagedAndNotCommittedIsThereOnceAfterItIsTakenAgain() {
    try (Target target = open("p")) {
      target.stage(flush(part(A, 0, 5))).commit();
      Staged lost = target.stage(flush(part(A, 5, 9)));
      assertThat(lost).isNotNull();
    }
    try (Target again = open("p")) {
      Receipt receipt = again.stage(flush(part(A, 5, 12))).commit();
      assertThat(receipt.written() + receipt.skipped()).isEqualTo(7);
    }
    assertThat(committed()).containsExactlyInAnyOrderElementsOf(keys(A, 0, 12));
  }

  @Test
  void flushesStagedSideBySideAreCommittedInOrder() {
    try (Target target = open("p")) {
      List<Staged> staged = new ArrayList<>();
      for (int i = 0; i < target.parallelism(); i++) {
        staged.add(target.stage(flush(part(A, i * 10, i * 10 + 10))));
      }
      staged.forEach(s -> assertThat(s.commit()).isEqualTo(new Receipt(10, 0)));
      int taken = target.parallelism() * 10;
      assertThat(committed()).containsExactlyInAnyOrderElementsOf(keys(A, 0, taken));
    }
  }
}
