package io.wexrun.core.pipeline;

import java.time.Duration;

/**
 * When a target's buffer is flushed: as soon as one of the three is reached. A flush never cuts
 * within a block, so it may hold somewhat more.
 *
 * @param rows at least 1
 * @param bytes about how many bytes the rows take in memory, at least 1
 * @param age since the first row came into the buffer, positive
 */
public record FlushPolicy(long rows, long bytes, Duration age) {
  /** A million rows, 64 MB or 5 seconds. */
  public static final FlushPolicy DEFAULT =
      new FlushPolicy(1_000_000, 64L << 20, Duration.ofSeconds(5));

  /** Rejects what would never flush. */
  public FlushPolicy {
    if (rows < 1 || bytes < 1 || age.isNegative() || age.isZero()) {
      throw new IllegalArgumentException("rows, size and age of a flush must be positive");
    }
  }

  /** This policy with another number of rows. */
  public FlushPolicy withRows(long other) {
    return new FlushPolicy(other, bytes, age);
  }

  /** This policy with another size in bytes. */
  public FlushPolicy withBytes(long other) {
    return new FlushPolicy(rows, other, age);
  }

  /** This policy with another age. */
  public FlushPolicy withAge(Duration other) {
    return new FlushPolicy(rows, bytes, other);
  }
}
