package io.wexrun.queue;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Reads a queue's partitions in turn, each in order. Keeps positions in memory only. For one
 * thread.
 */
public final class Reader {
  private static final int CHUNK = 1 << 20;

  private final Queue queue;
  private final long[] positions;
  private int turn;

  Reader(Queue queue, long[] positions) {
    this.queue = queue;
    this.positions = positions;
  }

  /**
   * The next records: of one partition, at most {@code most}.
   *
   * @param wait how long to wait if there are none yet
   * @return empty if none came in time
   */
  public List<QueueRecord> poll(int most, Duration wait) {
    long until = System.nanoTime() + wait.toNanos();
    while (true) {
      queue.refresh();
      for (int tried = 0; tried < positions.length; tried++) {
        int partition = turn;
        turn = (turn + 1) % positions.length;
        List<QueueRecord> records = read(partition, most);
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

  private List<QueueRecord> read(int partition, int most) {
    Optional<Partition.Chunk> chunk = queue.partition(partition).read(positions[partition], CHUNK);
    if (chunk.isEmpty()) {
      return List.of();
    }
    List<QueueRecord> records =
        Packs.records(partition, chunk.get().data(), chunk.get().length(), positions[partition]);
    List<QueueRecord> taken = new ArrayList<>(records.subList(0, Math.min(most, records.size())));
    positions[partition] += taken.size();
    return taken;
  }

  /** The position of the next record of each partition. */
  public long[] positions() {
    return positions.clone();
  }
}
