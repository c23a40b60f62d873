package io.wexrun.queue;

import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.QueueRecord;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
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
  private final Ahead[] aheads;
  private int turn;
  private boolean goesOn;
  private long notBefore = Long.MIN_VALUE;

  Reader(Queue queue, long[] positions) {
    this.queue = queue;
    this.positions = positions;
    this.aheads = new Ahead[positions.length];
    Arrays.setAll(aheads, i -> new Ahead());
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
      boolean fresh = queue.refreshNowAndThen();
      List<QueueRecord> records = known(most, bytes);
      if (records.isEmpty() && !fresh) {
        queue.refresh();
        records = known(most, bytes);
      }
      if (!records.isEmpty()) {
        return records;
      }
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        return List.of();
      }
      queue.awaitAppend(left);
    }
  }

  /** The next records of those that are known to be there. */
  private List<QueueRecord> known(int most, int bytes) {
    for (int tried = 0; tried < positions.length; tried++) {
      int partition = turn;
      List<QueueRecord> records = read(partition, most, bytes);
      // What was read of one partition is handed out before the next: only one is in memory.
      if (aheads[partition].isEmpty()) {
        turn = (turn + 1) % positions.length;
      }
      if (!records.isEmpty()) {
        return records;
      }
    }
    return List.of();
  }

  private List<QueueRecord> read(int partition, int most, int bytes) {
    Ahead ahead = aheads[partition];
    List<QueueRecord> taken = new ArrayList<>(Math.min(most, 1024));
    long size = 0;
    while (taken.size() < most && (!ahead.records.isEmpty() || ahead.more(partition))) {
      QueueRecord record = ahead.records.peek();
      if (!taken.isEmpty() && size + record.value().length > bytes) {
        break;
      }
      ahead.records.remove();
      positions[partition] = record.position() + 1;
      if (record.timeMillis() >= notBefore) {
        taken.add(record);
        size += record.value().length;
      }
    }
    return taken;
  }

  /** What was read of a partition and not handed out yet: some packs, and one taken apart. */
  private final class Ahead {
    private final ArrayDeque<QueueRecord> records = new ArrayDeque<>();
    private Partition.Chunk chunk;
    private int place;

    boolean isEmpty() {
      return records.isEmpty() && (chunk == null || place >= chunk.length());
    }

    /** Takes the next pack apart; false if there is none yet. */
    boolean more(int partition) {
      while (chunk == null || place >= chunk.length()) {
        chunk = null; // So that its bytes are free before others are read.
        chunk = next(partition).orElse(null);
        if (chunk == null) {
          return false;
        }
        place = 0;
        if (chunk.length() == 0) {
          positions[partition] = chunk.end(); // Positions that were lost.
        }
      }
      place =
          Packs.records(
              partition, chunk.data(), place, chunk.length(), positions[partition], records);
      return !records.isEmpty();
    }

    private Optional<Partition.Chunk> next(int partition) {
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
  }

  /** The position of the next record of each partition. */
  public long[] positions() {
    return positions.clone();
  }
}
