package io.wexrun.core.tally;

/**
 * The books of one source partition.
 *
 * @param position up to where its records are accounted for
 * @param counts what became of its records; dead letters that were revived are not dead any more
 * @param revived how many dead letters of it were replayed, or given up, and did not die again:
 *     they are in the books of the replay
 * @param lost rows that were loaded and are not there any more, as somebody has accepted
 */
public record SourceTally(long position, Counts counts, long revived, long lost) {
  /** Whether {@code taken + unfolded + copied = loaded + dead + dropped + revived + lost}. */
  public boolean balanced() {
    return counts.in() == counts.out() + revived + lost;
  }
}
