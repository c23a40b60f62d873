package io.wexrun.core.shape;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.RowStep;
import io.wexrun.core.step.Step;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class RowStepTest {
  private static final Schema INPUT =
      Schema.of(Column.of("gate", Type.Scalar.TEXT), Column.of("n", Type.Scalar.LONG));

  /** Three records: (a, 0), (b, 1), (absent, 2). */
  private static Batch batch() {
    TextVector gates = new TextVector(3, 8);
    gates.append("a");
    gates.append("b");
    gates.appendAbsent();
    LongVector numbers = new LongVector(3);
    for (int i = 0; i < 3; i++) {
      numbers.append(i);
    }
    byte[] data = "xyz".getBytes(java.nio.charset.StandardCharsets.UTF_8);
    Records records = Records.atBytes(data, new int[] {0, 1, 2}, new int[] {1, 2, 3}, 3, 0, null);
    return new Batch(INPUT, List.of(gates, numbers), 3, records, new int[] {0, 1, 2});
  }

  private static List<String> rows(Batch batch) {
    List<String> rows = new ArrayList<>();
    for (int row = 0; row < batch.rows(); row++) {
      StringBuilder text = new StringBuilder(batch.record(row) + ":");
      for (Vector column : batch.columns()) {
        Object value =
            column.absent(row)
                ? "-"
                : column instanceof LongVector numbers
                    ? numbers.get(row)
                    : column instanceof DoubleVector reals
                        ? (Object) reals.get(row)
                        : ((TextVector) column).text(row);
        text.append(' ').append(value);
      }
      rows.add(text.toString());
    }
    return rows;
  }

  @Test
  void aRowBecomesOneSeveralOrNone() {
    Rejects rejects = new Rejects();
    RowStep step =
        new RowStep(
            INPUT,
            (row, rows) -> {
              long n = row.number("n").orElseThrow();
              if (n == 0) {
                rows.set("gate", row.text("gate").map(g -> g + "!"));
              } else if (n == 1) {
                rows.set("n", 10).add();
                rows.set("n", 11).add();
              } else {
                rows.drop();
              }
            });
    assertThat(rows(step.apply(batch(), rejects))).containsExactly("0: a! 0", "1: b 10", "1: b 11");
    assertThat(rejects.dropped()).isEqualTo(1);
  }

  @Test
  void aFailureKillsTheRecordAndTakesBackItsRows() {
    Rejects rejects = new Rejects();
    RowStep step =
        new RowStep(
            INPUT,
            (row, rows) -> {
              rows.add();
              if (row.number("n").orElseThrow() == 1) {
                rows.add();
                throw new IllegalStateException("no such gate");
              }
            });
    assertThat(rows(step.apply(batch(), rejects))).containsExactly("0: a 0", "2: - 2");
    assertThat(rejects.rejected(1)).isTrue();
    assertThat(rejects.reasons().toString()).isEqualTo("{failed-step=1}");
  }

  @Test
  void anErrorIsAFailureUnlessItIsTheMachines() {
    for (Error error :
        List.of(
            new AssertionError("no"), new StackOverflowError(), new NoClassDefFoundError("x"))) {
      Rejects rejects = new Rejects();
      RowStep step =
          new RowStep(
              INPUT,
              (row, rows) -> {
                if (row.number("n").orElseThrow() == 1) {
                  throw error;
                }
              });
      assertThat(rows(step.apply(batch(), rejects))).containsExactly("0: a 0", "2: - 2");
      assertThat(rejects.reasons().toString()).isEqualTo("{failed-step=1}");
    }
    RowStep step =
        new RowStep(
            INPUT,
            (row, rows) -> {
              throw new OutOfMemoryError("made up");
            });
    assertThatThrownBy(() -> step.apply(batch(), new Rejects())).hasMessage("made up");
  }

  /** A step of batches does not say which record is to blame: a record alone is. */
  @Test
  void aStepThatFailsOnABatchKillsTheRecordOnWhichItFailsAlone() {
    Step fails =
        new Step() {
          @Override
          public Schema output() {
            return INPUT;
          }

          @Override
          public Batch apply(Batch batch, Rejects rejects) {
            throw new AssertionError("made up");
          }
        };
    Section section = new Section(List.of(new Section.Placed(fails, "shape[0].x")), INPUT);
    assertThatThrownBy(
            () -> section.apply(batch(), new Rejects(), new Efforts(), (path, batch) -> {}))
        .isInstanceOf(Section.StepFailedException.class);
    byte[] data = {'x'};
    Records one = Records.atBytes(data, new int[] {0}, new int[] {1}, 1, 0, null);
    Batch single = batch().only(new int[] {0}, 1);
    Batch alone = new Batch(INPUT, single.columns(), 1, one, new int[] {0});
    Rejects rejects = new Rejects();
    assertThat(section.apply(alone, rejects, new Efforts(), (path, batch) -> {}).rows()).isZero();
    assertThat(rejects.reasons().toString()).isEqualTo("{failed-step=1}");
  }

  @Test
  void valuesOfEveryTypeAreTaken() {
    Schema output =
        Schema.of(
            Column.of("n", Type.Scalar.LONG),
            Column.of("d", Type.Scalar.DOUBLE),
            Column.of("b", Type.Scalar.BOOL),
            Column.of("t", Type.Scalar.TIMESTAMP),
            Column.of("m", new Type.Decimal(6, 2)),
            Column.of("s", Type.Scalar.TEXT));
    RowStep step =
        new RowStep(
            output,
            (row, rows) ->
                rows.set("d", 2.5)
                    .set("b", true)
                    .set("t", Instant.ofEpochSecond(1))
                    .set("m", "1.5")
                    .set("s", row.absent("gate") ? Optional.empty() : row.text("n")));
    assertThat(rows(step.apply(batch(), new Rejects())))
        .containsExactly(
            "0: 0 2.5 1 1000000 150 0", "1: 1 2.5 1 1000000 150 1", "2: 2 2.5 1 1000000 150 -");
    Rejects rejects = new Rejects();
    new RowStep(output, (row, rows) -> rows.set("other", 1)).apply(batch(), rejects);
    assertThat(rejects.count()).isEqualTo(3);
  }
}
