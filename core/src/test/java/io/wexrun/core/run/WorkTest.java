package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.shape.Effort;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class WorkTest {
  private static final long BASE =
      Instant.parse("2026-05-03T04:00:00Z").getEpochSecond() * 1_000_000;

  private static Rows rows(Type type, Long... values) {
    LongVector vector = new LongVector(values.length);
    for (Long value : values) {
      if (value == null) {
        vector.appendAbsent();
      } else {
        vector.append(value);
      }
    }
    Schema schema =
        new Schema(
            List.of(new Column("n", Type.Scalar.LONG, false), new Column("at", type, false)));
    LongVector other = new LongVector(values.length);
    for (int i = 0; i < values.length; i++) {
      other.append(7);
    }
    return Rows.all(Batch.ofNoRecords(schema, List.of(other, vector), values.length));
  }

  @Test
  void eventsAreAsOldAsTheirFirstTimestampSays() {
    Rows all =
        rows(Type.Scalar.TIMESTAMP, BASE - 3_000_000, null, BASE + 1_000_000, BASE - 10_000_000);
    Delays delays = Moments.of(all, BASE).until(BASE + 2_000_000);
    assertThat(delays.count()).isEqualTo(3);
    assertThat(delays.average()).contains(Duration.ofSeconds(6)); // Of 5, 1 and 12 seconds.
    assertThat(delays.most()).contains(Duration.ofSeconds(12));
    assertThat(delays.latest()).contains(Instant.parse("2026-05-03T04:00:01Z"));
    Delays chosen =
        Moments.of(Rows.of(all.batch(), new int[] {1, 2}, 2), BASE).until(BASE + 2_000_000);
    assertThat(chosen.count()).as("only the rows of this target").isEqualTo(1);
    assertThat(chosen.most()).contains(Duration.ofSeconds(1));
  }

  @Test
  void rowsWithoutATimestampHaveNoDelay() {
    assertThat(Moments.of(rows(Type.Scalar.LONG, 1L, 2L), BASE).until(BASE)).isEqualTo(Delays.NONE);
    assertThat(Moments.of(rows(Type.Scalar.TIMESTAMP, (Long) null), BASE).until(BASE).average())
        .isEmpty();
  }

  @Test
  void workAddsUpAndKnowsItsSlowestPlace() {
    TargetWork target =
        new TargetWork(10, 100, 1, 5_000, new Delays(10, 1e6, 300_000, BASE), Delays.NONE);
    Work one =
        new Work(
            Map.of(
                "intake",
                new Effort(10, 10, 0, 0, 1_000),
                "shape[0].set",
                new Effort(10, 9, 1, 3, 9_000)),
            Map.of("scans", target));
    Work two = one.plus(new Work(Map.of(), Map.of("scans", target)));
    assertThat(one.slowest()).contains("shape[0].set");
    assertThat(two.slowest()).contains("-> scans");
    assertThat(two.nanos()).isEqualTo(20_000);
    assertThat(two.places().get("shape[0].set").defaults()).isEqualTo(3);
    TargetWork sum = two.targets().get("scans");
    assertThat(sum.rows()).isEqualTo(20);
    assertThat(sum.flushes()).isEqualTo(2);
    assertThat(sum.taken().average()).contains(Duration.ofMillis(100));
    assertThat(sum.taken().most()).contains(Duration.ofMillis(300));
    assertThat(Work.NONE.slowest()).isEmpty();
  }
}
