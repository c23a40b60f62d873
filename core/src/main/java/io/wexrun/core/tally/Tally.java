package io.wexrun.core.tally;

/**
 * The books of a pipeline.
 *
 * @param pipeline its name
 * @param counts what became of the records, over all source partitions
 * @param held taken, but not yet accounted for
 * @param sources how many source partitions have been taken from
 */
public record Tally(String pipeline, Counts counts, long held, int sources) {
  /** Whether {@code taken + unfolded + copied = loaded + dead + dropped + held}. */
  public boolean balanced() {
    return counts.in() == counts.out() + held;
  }
}
