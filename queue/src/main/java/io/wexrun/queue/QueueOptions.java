package io.wexrun.queue;

import java.time.Duration;
import java.time.InstantSource;

/**
 * How a queue is made and written.
 *
 * @param partitions 1 to 10,000; counts only when the queue is made
 * @param segmentBytes when a new file is begun, at least 4096
 * @param packBytes when a producer writes a pack, at least 1
 * @param linger how long a producer may wait for more records before it writes a pack
 * @param clock the time of records
 */
public record QueueOptions(
    int partitions, long segmentBytes, int packBytes, Duration linger, InstantSource clock) {
  /** Rejects what cannot be. */
  public QueueOptions {
    if (partitions < 1 || partitions > 10_000 || segmentBytes < 4096 || packBytes < 1) {
      throw new IllegalArgumentException(
          "a queue has 1 to 10000 partitions, segments of at least 4096 bytes and packs of at"
              + " least 1");
    }
  }

  /** So many partitions; segments of 128 MB, packs of 256 KB, 20 ms linger. */
  public static QueueOptions partitions(int partitions) {
    return new QueueOptions(
        partitions, 128L << 20, 256 << 10, Duration.ofMillis(20), InstantSource.system());
  }
}
