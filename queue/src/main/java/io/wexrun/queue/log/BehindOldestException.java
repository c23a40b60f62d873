package io.wexrun.queue.log;

import io.wexrun.core.diagnose.Counted;

/**
 * A reader asked for a record that the queue does not keep any more. It may go on from the oldest
 * one, or stop: that is for its user to say.
 */
public final class BehindOldestException extends RuntimeException {
  private final int partition;
  private final long position;
  private final long oldest;

  BehindOldestException(String label, int partition, long position, long oldest) {
    super(
        label
            + " has no records before position "
            + oldest
            + " any more, but "
            + position
            + " was asked for: "
            + Counted.of(oldest - position, "record")
            + (oldest - position == 1 ? " was" : " were")
            + " removed. Go on from the oldest, or stop and find out why the reader"
            + " is so late");
    this.partition = partition;
    this.position = position;
    this.oldest = oldest;
  }

  /** The partition, from 0. */
  public int partition() {
    return partition;
  }

  /** What was asked for. */
  public long position() {
    return position;
  }

  /** The position of the oldest record that there is. */
  public long oldest() {
    return oldest;
  }
}
