package io.wexrun.queue;

import io.wexrun.queue.log.Keep;
import io.wexrun.queue.log.Partition;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Supplier;
import java.util.stream.Stream;

/** Removes what a queue does not keep any more, and asks its readers first where it shall. */
final class Trimmer {
  private static final long ASK_NANOS = 1_000_000_000;

  private final Queue queue;
  private long askedAt = System.nanoTime() - ASK_NANOS;
  private volatile Supplier<List<long[]>> otherReaders = List::of;

  Trimmer(Queue queue) {
    this.queue = queue;
  }

  private Duration remembered = Duration.ZERO;

  /** Something was appended. Readers are asked where they are at most once a second. */
  synchronized void appended(Keep keep) {
    long now = System.nanoTime();
    if (!keep.equals(Keep.ALL) && (!keep.untilRead() || now - askedAt > ASK_NANOS)) {
      askedAt = now;
      trim(keep);
    }
  }

  /** What was read stays for so long. */
  synchronized void remember(Duration time) {
    remembered = time.compareTo(remembered) > 0 ? time : remembered;
  }

  void alsoReadBy(Supplier<List<long[]>> positions) {
    otherReaders = positions;
  }

  /** Removes whole finished files; how many records were removed. */
  long trim(Keep keep) {
    Partition[] partitions = queue.allPartitions();
    if (Stream.of(partitions).noneMatch(Partition::hasFinishedFile)) {
      return 0;
    }
    long[] needed = new long[partitions.length];
    Arrays.fill(needed, Long.MAX_VALUE);
    if (keep.untilRead()) {
      readers().forEach(reader -> lower(needed, reader));
      long since = queue.options().clock().millis() - remembered.toMillis();
      for (int i = 0; i < needed.length && !remembered.isZero(); i++) {
        if (needed[i] != Long.MAX_VALUE) {
          needed[i] = Math.min(needed[i], partitions[i].positionOfPackAt(since));
        }
      }
    }
    long removed = 0;
    for (int i = 0; i < partitions.length; i++) {
      removed += partitions[i].trim(keep, needed[i]);
    }
    return removed;
  }

  private List<long[]> readers() {
    List<long[]> readers = new ArrayList<>(otherReaders.get());
    queue.groups().forEach(group -> readers.add(queue.committed(group)));
    return readers;
  }

  private static void lower(long[] needed, long[] reader) {
    for (int i = 0; i < needed.length; i++) {
      needed[i] = Math.min(needed[i], i < reader.length ? Math.max(0, reader[i]) : 0);
    }
  }
}
