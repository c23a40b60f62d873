package io.wexrun.core.tally;

import java.time.Instant;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * The books of one source partition.
 *
 * @param began where its first record was taken, or before; empty if that is not known
 * @param position up to where its records are accounted for
 * @param counts what became of its records; dead letters that were revived are not dead any more
 * @param revived how many dead letters of it were replayed, or given up, and did not die again:
 *     they are in the books of the replay
 * @param lost rows that were loaded and are not there any more, as somebody has accepted
 * @param newest when the latest event of a row from it happened, as far as its rows tell a time
 */
public record SourceTally(
    OptionalLong began,
    long position,
    Counts counts,
    long revived,
    long lost,
    Optional<Instant> newest) {
  /** Whether {@code taken + unfolded + copied = loaded + dead + dropped + revived + lost}. */
  public boolean balanced() {
    return counts.in() == counts.out() + revived + lost;
  }
}
