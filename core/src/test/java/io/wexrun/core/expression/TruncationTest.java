package io.wexrun.core.expression;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.util.List;
import java.util.Random;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;

class TruncationTest {
  private static final Schema SCHEMA = Schema.of(Column.of("at", Type.Scalar.TIMESTAMP));

  private static final List<String> UNITS =
      List.of("second", "minute", "hour", "day", "week", "month", "year");

  /** Zones that change by half an hour, at midnight, or long ago by odd seconds. */
  private static final List<String> ZONES =
      List.of(
          "UTC",
          "Europe/Berlin",
          "Australia/Lord_Howe",
          "America/Sao_Paulo",
          "Asia/Kathmandu",
          "Pacific/Apia");

  private static final List<String> AROUND =
      List.of(
          "2026-03-29T01:00:00Z",
          "2026-10-25T01:00:00Z",
          "2026-04-04T15:00:00Z",
          "2026-10-03T15:30:00Z",
          "2017-10-15T03:00:00Z",
          "2011-12-30T10:00:00Z",
          "1893-03-31T23:06:32Z",
          "2026-12-31T23:59:59Z",
          "1969-12-31T23:59:59Z");

  @Property(tries = 1500)
  void aRunOfTimesIsTruncatedAsEachOfThemAlone(@ForAll long seed) {
    Random dice = new Random(seed);
    String unit = UNITS.get(dice.nextInt(UNITS.size()));
    String zone = ZONES.get(dice.nextInt(ZONES.size()));
    Expression expression =
        new Expressions(SCHEMA)
            .compile(
                "truncate(at, '" + unit + "', '" + zone + "')",
                KeyPath.ROOT,
                Diagnostics.of("a test"))
            .orElseThrow();
    Instant at = Instant.parse(AROUND.get(dice.nextInt(AROUND.size()))).minusSeconds(7000);
    Duration step = Duration.ofSeconds(1 + dice.nextInt(dice.nextBoolean() ? 20 : 5000));
    int rows = 1 + dice.nextInt(300);
    LongVector times = new LongVector(rows);
    for (int row = 0; row < rows; row++) {
      // Mostly forward, with some that come late.
      Instant each = dice.nextInt(9) == 0 ? at.minusSeconds(dice.nextInt(90_000)) : at;
      times.append(Instants.micros(each));
      at = at.plus(step.multipliedBy(dice.nextInt(3)));
    }
    Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    Batch batch = new Batch(SCHEMA, List.of(times), rows, one, new int[rows]);
    Evaluated evaluated = expression.evaluate(batch);
    for (int row = 0; row < rows; row++) {
      Instant time = Instants.instant(times.get(row));
      assertThat(Instants.instant(((LongVector) evaluated.values()).get(row)))
          .as("%s of %s in %s", unit, time, zone)
          .isEqualTo(Functions.truncate(time, unit, ZoneId.of(zone)));
    }
  }

  @Property(tries = 20)
  void timesBeyondTheCalendarFailTheirRowsAlone(@ForAll boolean before) {
    Expression expression =
        new Expressions(SCHEMA)
            .compile("truncate(at, 'year')", KeyPath.ROOT, Diagnostics.of("a test"))
            .orElseThrow();
    LongVector times = new LongVector(2);
    times.append(before ? Long.MIN_VALUE : 0);
    times.append(before ? 0 : Long.MIN_VALUE);
    Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    Batch batch = new Batch(SCHEMA, List.of(times), 2, one, new int[2]);
    Evaluated evaluated = expression.evaluate(batch);
    assertThat(evaluated.failed(before ? 0 : 1)).isTrue();
    assertThat(evaluated.failed(before ? 1 : 0)).isFalse();
    assertThat(((LongVector) evaluated.values()).get(before ? 1 : 0)).isZero();
  }
}
