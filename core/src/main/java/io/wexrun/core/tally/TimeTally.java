package io.wexrun.core.tally;

import java.time.Instant;
import java.time.temporal.ChronoUnit;

/**
 * What was accounted for in an hour or a day.
 *
 * @param since when the hour or day begins, in UTC
 * @param taken records
 * @param loaded rows
 * @param died records that died, for the first time
 * @param dropped records, and dead letters that were given up
 * @param revived dead letters that were replayed and did not die again
 */
public record TimeTally(
    Instant since, long taken, long loaded, long died, long dropped, long revived) {
  /** What is summed up. */
  public enum Unit {
    /** An hour; those of the last 45 days are kept. */
    HOUR(ChronoUnit.HOURS, 45),
    /** A day; those of the last 1,100 are kept. */
    DAY(ChronoUnit.DAYS, 1100);

    private final ChronoUnit unit;
    private final int days;

    Unit(ChronoUnit unit, int days) {
      this.unit = unit;
      this.days = days;
    }

    /** The beginning of the hour or day that a time is in. */
    public Instant of(Instant time) {
      return time.truncatedTo(unit);
    }

    /** What began before this, seen from a time, is not kept. */
    public Instant oldest(Instant time) {
      return of(time).minus(days, ChronoUnit.DAYS);
    }
  }
}
