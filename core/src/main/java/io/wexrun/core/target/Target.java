package io.wexrun.core.target;

import io.wexrun.core.intake.SourcePartition;
import java.util.Map;

/**
 * Where rows of one pipeline go: a table, a queue, the dead letters.
 *
 * <p><b>Once.</b> A flush commits its rows and, in the same transaction, the progress of each
 * source partition. A row whose position lies before the progress that was committed when the
 * target was opened is there already; the target skips it and counts it as skipped. Because shaping
 * is deterministic and positions grow, that is enough: the rows of a range that is taken again are
 * the same rows.
 *
 * <p><b>Order.</b> Up to {@link #parallelism()} flushes are staged at once, by different threads;
 * they are committed one after the other in the order in which they were made. If one fails, none
 * after it is committed.
 *
 * <p>Failures throw {@link io.wexrun.core.diagnose.OutsideException}. {@link #close()} rolls back
 * what is staged and not committed.
 */
public interface Target extends AutoCloseable {
  /** How far each source partition has got here, by this pipeline, as committed before opening. */
  Map<SourcePartition, Long> progress();

  /** How many flushes may be staged at once, at least 1. */
  default int parallelism() {
    return 1;
  }

  /** Writes rows and progress without committing them. Empty flushes do not occur. */
  Staged stage(Flush flush);

  @Override
  void close();
}
