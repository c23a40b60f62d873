package io.wexrun.core.tally;

import java.time.Instant;
import java.util.Optional;

/**
 * The books of a pipeline.
 *
 * @param pipeline its name
 * @param counts what became of the records, over all source partitions; dead letters that were
 *     revived are not dead any more, and are taken once
 * @param held taken, but not yet accounted for
 * @param lost rows that were loaded and are not there any more, as somebody has accepted
 * @param revived how many dead letters were replayed, or given up, and did not die again
 * @param sources how many source partitions have been taken from
 * @param newest when the latest event of a row happened, as far as rows tell a time
 */
public record Tally(
    String pipeline,
    Counts counts,
    long held,
    long lost,
    long revived,
    int sources,
    Optional<Instant> newest) {
  /** Books of which nothing was lost, or revived. */
  public Tally(String pipeline, Counts counts, long held, int sources) {
    this(pipeline, counts, held, 0, 0, sources, Optional.empty());
  }

  /** Whether {@code taken + unfolded + copied = loaded + dead + dropped + held + lost}. */
  public boolean balanced() {
    return counts.in() == counts.out() + held + lost;
  }
}
