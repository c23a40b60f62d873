package io.wexrun.core.run;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Deaths;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import org.assertj.core.api.InstanceOfAssertFactories;
import org.junit.jupiter.api.Test;

class DeathWatchTest {
  private static final SourcePartition S = new SourcePartition("s");

  private static List<Account> range(long taken, long dead) {
    Counts counts =
        new Counts(
            taken,
            0,
            0,
            Map.of("t", taken - dead),
            dead == 0 ? Map.of() : Map.of(Reason.BAD_VALUE, dead),
            0,
            Map.of());
    return List.of(new Account(S, 0, taken, counts));
  }

  private static DeathWatch watch(double warn, double stop, long of) {
    return new DeathWatch(
        "p", new Deaths(OptionalDouble.of(warn), OptionalDouble.of(stop), of), true, false);
  }

  @Test
  void itIsToldOnceThatManyDieAndOnceThatFewerDo() {
    DeathWatch watch = watch(0.10, 0.9, 100);
    assertThat(watch.accounted(range(50, 10))).as("exactly a tenth is not more").isEmpty();
    assertThat(watch.accounted(range(10, 1))).contains(Notice.Kind.WAITS);
    assertThat(watch.words()).isEqualTo("11 of the last 100 records died (11 %)");
    assertThat(watch.accounted(range(10, 0))).as("the same is not told again").isEmpty();
    for (int i = 0; i < 9; i++) {
      watch.accounted(range(10, 0));
    }
    assertThat(watch.words()).as("the old ones are forgotten").startsWith("0 of the last 1");
    assertThat(watch.accounted(range(10, 0))).as("and it was told").isEmpty();
    assertThat(watch.accounted(range(100, 50))).contains(Notice.Kind.WAITS);
    assertThat(watch.accounted(range(1000, 1))).contains(Notice.Kind.GOES_ON);
  }

  @Test
  void whatAStoreRefusesStopsItBeforeAnythingIsLoaded() {
    DeathWatch watch = watch(1, 0.5, 1000);
    watch.accounted(range(900, 400));
    watch.searched(100, 100);
    assertThatThrownBy(() -> watch.searched(150, 150))
        .isInstanceOfSatisfying(
            OutsideException.class, e -> assertThat(e.waitsUntilTold()).isTrue())
        .hasMessageContaining("refuses 150 of 150 rows")
        .hasMessageContaining("52.4 % of the last 1,050 records would die")
        .hasMessageContaining("'wexrun resume p'");
    Deaths half = new Deaths(OptionalDouble.empty(), OptionalDouble.of(0.5), 100);
    DeathWatch resumed = new DeathWatch("p", half, true, true);
    resumed.searched(100, 100);
    assertThatThrownBy(() -> resumed.accounted(range(100, 100)))
        .isInstanceOf(OutsideException.class);
    assertThatThrownBy(() -> resumed.searched(100, 100)).isInstanceOf(OutsideException.class);
  }

  @Test
  void aFewEarlyOnesDoNotStopIt() {
    DeathWatch watch = watch(1, 0.5, 1000);
    watch.accounted(range(100, 100));
    watch.accounted(range(400, 400));
    assertThatThrownBy(() -> watch.accounted(range(1, 1)))
        .hasMessageContaining("501 of the last 1,000 records died (50.1 %)")
        .hasMessageContaining("above 50 %. 'wexrun dead p' says why, and 'wexrun resume p'")
        .asInstanceOf(InstanceOfAssertFactories.type(OutsideException.class))
        .matches(OutsideException::waitsUntilTold);
  }

  @Test
  void smallRangesAreWatchedLikeLargeOnes() {
    DeathWatch small = watch(0.02, 1, 10_000);
    int told = 0;
    for (int i = 0; i < 50_000; i++) {
      // In the middle third every tenth dies.
      boolean dies = i > 16_000 && i < 33_000 && i % 10 == 0;
      told += small.accounted(range(1, dies ? 1 : 0)).isPresent() ? 1 : 0;
    }
    assertThat(told).as("that many die, and that fewer do").isEqualTo(2);
    assertThat(small.words()).startsWith("0 of the last 10,");
  }

  @Test
  void whoSaysNothingIsNotWatched() {
    DeathWatch watch = new DeathWatch("p", Deaths.ANY, false, false);
    assertThat(watch.accounted(range(100_000, 100_000))).isEmpty();
  }
}
