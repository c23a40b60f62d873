package io.wexrun.queue.log;

import java.time.Duration;
import java.util.Optional;

/**
 * How long a queue keeps its records. Only whole files go, and never the one that is written to; a
 * record goes when any of the limits says so, but none before every group has read it if they are
 * waited for.
 *
 * @param age older records go; empty: of any age are kept
 * @param bytes the oldest go when a partition has more; empty: of any size are kept
 * @param untilRead whether records stay until every group has committed them
 */
public record Keep(Optional<Duration> age, Optional<Long> bytes, boolean untilRead) {
  /** Everything, for ever. */
  public static final Keep ALL = new Keep(Optional.empty(), Optional.empty(), false);

  /** This, with a limit of age. */
  public Keep withAge(Duration limit) {
    return new Keep(Optional.of(limit), bytes, untilRead);
  }

  /** This, with a limit of bytes for each partition. */
  public Keep withBytes(long limit) {
    return new Keep(age, Optional.of(limit), untilRead);
  }

  /** This; and what no group needs any more goes, what one needs stays. */
  public Keep untilEveryGroupHasRead() {
    return new Keep(age, bytes, true);
  }
}
