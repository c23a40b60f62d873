package io.wexrun.core.run;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/**
 * How long rows were on their way to a target.
 *
 * @param count how many rows
 * @param micros the sum of their times, in microseconds
 * @param longest the longest one, in microseconds
 * @param newest when the latest of them began, in microseconds since 1970-01-01T00:00:00Z
 */
public record Delays(long count, double micros, long longest, long newest) {
  /** Of no rows. */
  public static final Delays NONE = new Delays(0, 0, 0, Long.MIN_VALUE);

  /** Those of both. */
  public Delays plus(Delays other) {
    return new Delays(
        count + other.count,
        micros + other.micros,
        Math.max(longest, other.longest),
        Math.max(newest, other.newest));
  }

  /** The average; empty without rows. */
  public Optional<Duration> average() {
    return count == 0 ? Optional.empty() : Optional.of(micros((long) (micros / count)));
  }

  /** The longest; empty without rows. */
  public Optional<Duration> most() {
    return count == 0 ? Optional.empty() : Optional.of(micros(longest));
  }

  /** When the latest one began; empty without rows. */
  public Optional<Instant> latest() {
    return count == 0 ? Optional.empty() : Optional.of(Instant.EPOCH.plus(micros(newest)));
  }

  private static Duration micros(long micros) {
    return Duration.ofSeconds(
        Math.floorDiv(micros, 1_000_000L), Math.floorMod(micros, 1_000_000L) * 1000L);
  }
}
