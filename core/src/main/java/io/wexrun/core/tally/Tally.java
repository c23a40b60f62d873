package io.wexrun.core.tally;

/**
 * The books of a pipeline.
 *
 * @param pipeline its name
 * @param counts what became of the records, over all source partitions
 * @param held taken, but not yet accounted for
 * @param lost rows that were loaded and are not there any more, as somebody has accepted
 * @param sources how many source partitions have been taken from
 */
public record Tally(String pipeline, Counts counts, long held, long lost, int sources) {
  /** Books of which nothing was lost. */
  public Tally(String pipeline, Counts counts, long held, int sources) {
    this(pipeline, counts, held, 0, sources);
  }

  /** Whether {@code taken + unfolded + copied = loaded + dead + dropped + held + lost}. */
  public boolean balanced() {
    return counts.in() == counts.out() + held + lost;
  }
}
