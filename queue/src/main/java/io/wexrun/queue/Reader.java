package io.wexrun.queue;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Reads a queue's partitions in turn, each in order. Keeps positions in memory only. For one
 * thread; any number of readers read side by side.
 */
public final class Reader {
  private static final int CHUNK = 1 << 20;

  private final Queue queue;
  private final long[] positions;
  private int turn;
  private boolean goesOn;
  private long notBefore = Long.MIN_VALUE;

  Reader(Queue queue, long[] positions) {
    this.queue = queue;
    this.positions = positions;
  }

  /** This reader, passing over records that were appended before a time. */
  Reader after(long timeMillis) {
    notBefore = timeMillis;
    return this;
  }

  /**
   * This reader, going on from the oldest record that there is where those that it is at were
   * removed. Without it, it stops there with a {@link BehindOldestException}.
   */
  public Reader goOnFromOldest() {
    goesOn = true;
    return this;
  }

  /**
   * The next records: of one partition, at most {@code most}.
   *
   * @param wait how long to wait if there are none yet
   * @return empty if none came in time
   * @throws BehindOldestException if the next record of a partition was removed
   */
  public List<QueueRecord> poll(int most, Duration wait) {
    return poll(most, Integer.MAX_VALUE, wait);
  }

  /**
   * Like {@link #poll(int, Duration)}.
   *
   * @param bytes how many bytes of values at most; one record comes in any case
   */
  public List<QueueRecord> poll(int most, int bytes, Duration wait) {
    long until = System.nanoTime() + wait.toNanos();
    while (true) {
      queue.refresh();
      for (int tried = 0; tried < positions.length; tried++) {
        int partition = turn;
        turn = (turn + 1) % positions.length;
        List<QueueRecord> records = read(partition, most, bytes);
        if (!records.isEmpty()) {
          return records;
        }
      }
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        return List.of();
      }
      queue.awaitAppend(left);
    }
  }

  private Optional<Partition.Chunk> chunk(int partition) {
    try {
      return queue.partition(partition).read(positions[partition], CHUNK);
    } catch (BehindOldestException e) {
      if (!goesOn) {
        throw e;
      }
      positions[partition] = e.oldest();
      return queue.partition(partition).read(positions[partition], CHUNK);
    }
  }

  private List<QueueRecord> read(int partition, int most, int bytes) {
    while (true) {
      Optional<Partition.Chunk> chunk = chunk(partition);
      if (chunk.isEmpty()) {
        return List.of();
      }
      List<QueueRecord> taken = new ArrayList<>();
      long size = 0;
      for (QueueRecord record :
          Packs.records(
              partition, chunk.get().data(), chunk.get().length(), positions[partition])) {
        boolean full =
            taken.size() >= most || !taken.isEmpty() && size + record.value().length > bytes;
        if (full) {
          break;
        }
        positions[partition] = record.position() + 1;
        if (record.timeMillis() >= notBefore) {
          taken.add(record);
          size += record.value().length;
        }
      }
      if (!taken.isEmpty()) {
        return taken;
      }
    }
  }

  /** The position of the next record of each partition. */
  public long[] positions() {
    return positions.clone();
  }
}
