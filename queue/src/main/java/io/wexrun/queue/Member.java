package io.wexrun.queue;

import io.wexrun.queue.log.BehindOldestException;
import io.wexrun.queue.log.QueueRecord;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;

/** A consumer of a {@link Group}. For one thread. */
public final class Member implements AutoCloseable {
  private final Group group;
  private final int number;
  private final Map<Integer, Reader> readers = new HashMap<>();
  private final long[] polled;
  private final int[] polledGiven;
  private final int[] given;
  private long lastSeen;
  private int turn;

  Member(Group group, int number, long now) {
    this.group = group;
    this.number = number;
    this.lastSeen = now;
    int partitions = group.queue().partitions();
    polled = new long[partitions];
    Arrays.fill(polled, -1);
    polledGiven = new int[partitions];
    given = new int[partitions];
  }

  int number() {
    return number;
  }

  long lastSeen() {
    return lastSeen;
  }

  void seenAt(long now) {
    lastSeen = now;
  }

  /** The group gave a partition to this member; guarded by the group. */
  void given(int partition) {
    given[partition]++;
  }

  /** How often a partition was given to this member; guarded by the group. */
  int timesGiven(int partition) {
    return given[partition];
  }

  /** The partitions that this member has now. */
  public Set<Integer> partitions() {
    Set<Integer> has = new TreeSet<>();
    for (int partition : group.seen(this)) {
      has.add(partition);
    }
    return has;
  }

  /**
   * The next records of this member's partitions: of one of them, at most {@code most}. Polling
   * shows that the member is there; it should poll again within the group's silence.
   *
   * @param wait how long to wait if there are none yet
   * @throws BehindOldestException if the next record of a partition was removed, and the group does
   *     not {@linkplain Group#goOnFromOldest go on from the oldest}
   */
  public List<QueueRecord> poll(int most, Duration wait) {
    long until = System.nanoTime() + wait.toNanos();
    while (true) {
      int[] mine;
      int[] times;
      synchronized (group) {
        mine = group.seen(this);
        times = given.clone();
      }
      readers.keySet().removeIf(partition -> Arrays.binarySearch(mine, partition) < 0);
      for (int tried = 0; tried < mine.length; tried++) {
        turn = (turn + 1) % mine.length;
        List<QueueRecord> records = read(mine[turn], times[mine[turn]], most);
        if (!records.isEmpty()) {
          return records;
        }
      }
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        return List.of();
      }
      group.queue().awaitAppend(Math.min(left, 1000));
    }
  }

  private List<QueueRecord> read(int partition, int times, int most) {
    Reader reader = readers.get(partition);
    if (reader == null || polledGiven[partition] != times) {
      reader = group.queue().readOnly(partition, group.start(partition));
      reader = group.goesOn() ? reader.goOnFromOldest() : reader;
      readers.put(partition, reader);
      polledGiven[partition] = times;
      polled[partition] = -1;
    }
    List<QueueRecord> records = new ArrayList<>(reader.poll(most, Duration.ZERO));
    if (!records.isEmpty()) {
      polled[partition] = records.get(records.size() - 1).position() + 1;
    }
    return records;
  }

  /**
   * Commits everything that was polled: it is not read again by the group.
   *
   * @throws HandedOverException if some of it stands in partitions that this member has not any
   *     more; the others are committed
   */
  public void commit() {
    try {
      group.commit(this, polled, polledGiven);
    } catch (HandedOverException e) {
      Arrays.fill(polled, -1); // The others are committed, and these are not ours.
      throw e;
    }
    Arrays.fill(polled, -1);
  }

  /** Leaves the group. What was polled and not committed is read again by others. */
  @Override
  public void close() {
    group.leave(this);
  }
}
