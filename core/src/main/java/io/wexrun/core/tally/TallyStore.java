package io.wexrun.core.tally;

import io.wexrun.core.intake.SourcePartition;
import java.util.List;
import java.util.Map;

/**
 * Keeps the tally: what became of every record, and so where each source partition goes on. The
 * counts and the position of a range are one write, so that they cannot disagree. For several
 * threads.
 */
public interface TallyStore {
  /** Where each source partition of a pipeline goes on. Those never taken from are not there. */
  Map<SourcePartition, Long> positions(String pipeline);

  /**
   * Writes ranges in one transaction: all of them or none.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be written, or if a range does
   *     not start where the tally of its source partition ends, which means that another run has
   *     gone on with it
   */
  void account(String pipeline, List<Account> accounts);

  /** The books of a pipeline; all zero if it never ran. Nothing is held as far as a store knows. */
  Tally tally(String pipeline);
}
