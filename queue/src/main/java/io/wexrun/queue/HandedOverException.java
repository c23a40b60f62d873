package io.wexrun.queue;

import java.util.Set;
import java.util.TreeSet;

/**
 * A member of a group wanted to commit what it has no right to any more: the partitions were handed
 * over, because members came or went, or because it was silent for too long. Who has them now goes
 * on at the last committed position, so the records behind it are read again there.
 */
public final class HandedOverException extends RuntimeException {
  private final Set<Integer> partitions;

  HandedOverException(String group, Set<Integer> partitions) {
    super(
        "group "
            + group
            + ": partitions "
            + partitions
            + " were handed over to other members before this commit; their records are read again"
            + " from the last committed position");
    this.partitions = new TreeSet<>(partitions);
  }

  /** The partitions that were not committed. */
  public Set<Integer> partitions() {
    return partitions;
  }
}
