package io.wexrun.core.target;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import java.util.Map;
import java.util.Optional;

/**
 * Where rows of one pipeline go: a table, a queue, the dead letters.
 *
 * <p><b>Once.</b> A flush commits its rows and, in the same transaction, the progress of each
 * source partition. A row whose position lies before the progress that was committed when the
 * target was opened is there already; the target skips it and counts it as skipped. Because shaping
 * is deterministic and positions grow, that is enough: the rows of a range that is taken again are
 * the same rows, however they are cut into flushes. Progress never goes back.
 *
 * <p><b>Only one.</b> A commit checks, in its own transaction, that the progress of each of its
 * source partitions is still what this target read when it was opened or committed last. If it is
 * not, somebody else has gone on with it, and the commit fails ({@link Staged#commit}).
 *
 * <p><b>Refused.</b> A store may not take some rows, as when they break a constraint of its own.
 * Then the others are committed, the progress goes past all of them, and those refused are
 * remembered in the same transaction; they come back in the receipt, and again whenever their range
 * is handed over again, until it is {@linkplain #accounted accounted for}. A target that can only
 * take all or nothing refuses none, and fails.
 *
 * <p><b>Order and threads.</b> Up to {@link #parallelism()} flushes are staged at once, by
 * different threads; they are committed one after the other in the order in which they were made.
 * If one fails, none after it is committed, and the target is closed. Failures throw {@link
 * io.wexrun.core.diagnose.OutsideException}.
 */
public interface Target extends AutoCloseable {
  /** How far each source partition has got here, by this pipeline, as committed before opening. */
  Map<SourcePartition, Long> progress();

  /** Who the target is; empty if nothing tells it from another of its name. */
  default Optional<Identity> identity() {
    return Optional.empty();
  }

  /**
   * How many rows of each source partition this pipeline has committed here, over all time, as
   * committed before opening; without those that the target does not count.
   */
  default Map<SourcePartition, Long> rows() {
    return Map.of();
  }

  /** How the target stood when it was opened. */
  default Standing standing() {
    return new Standing(identity(), progress(), rows());
  }

  /** How many flushes may be staged at once, at least 1. The same as long as the target is open. */
  default int parallelism() {
    return 1;
  }

  /** Writes rows and progress without committing them. The flush has at least one part. */
  Staged stage(Flush flush);

  /**
   * Everything before these positions is in the tally and is not handed over again: what was
   * refused there need not be remembered. May be called beside {@code stage} and {@code commit}.
   */
  default void accounted(Map<SourcePartition, Long> positions) {}

  /**
   * Rolls back what is staged and not committed, and gives back what is open. Nothing is staged or
   * committed meanwhile or afterwards.
   */
  @Override
  void close();
}
