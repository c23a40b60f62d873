package io.wexrun.queue;

import java.time.Duration;

/**
 * A producer holds as many bytes as it may, and none were written within its patience: the disk is
 * slower than what is appended, or full. The record was not taken.
 */
public final class QueueFullException extends RuntimeException {
  QueueFullException(String queue, long held, Duration patience) {
    super(
        "queue "
            + queue
            + ": the producer holds "
            + held
            + " bytes that are not written yet, and waited "
            + patience.toMillis()
            + " ms for room. The record was not taken: append it again later, or give the producer"
            + " more room");
  }

  QueueFullException(String queue, long held) {
    super(
        "queue "
            + queue
            + ": the producer holds "
            + held
            + " bytes that are not written yet, and was interrupted while it waited for room; the"
            + " record was not taken");
  }
}
