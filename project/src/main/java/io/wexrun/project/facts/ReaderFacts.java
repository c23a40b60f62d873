package io.wexrun.project.facts;

import io.wexrun.queue.Queue;
import io.wexrun.queue.log.PartitionInfo;
import java.util.ArrayList;
import java.util.List;

/**
 * Who reads a queue, and how far behind.
 *
 * @param name of the group or pipeline
 * @param kind which of the two
 * @param places where it is in each partition
 */
public record ReaderFacts(String name, Kind kind, List<Place> places) {
  /** What reads. */
  public enum Kind {
    /** Consumers that share the partitions, and commit. */
    GROUP,
    /** A pipeline, which has accounted for what is before its place. */
    PIPELINE
  }

  /**
   * Where a reader is in a partition.
   *
   * @param partition from 0
   * @param position of the next record that it reads; -1 if it has not begun
   * @param end the position behind the newest record
   * @param lag how many records are before it
   */
  public record Place(int partition, long position, long end, long lag) {}

  /** Copies the list. */
  public ReaderFacts {
    places = List.copyOf(places);
  }

  /** How many records it is behind in all partitions. */
  public long lag() {
    return places.stream().mapToLong(Place::lag).sum();
  }

  /**
   * A reader of a queue.
   *
   * @param positions by partition; -1, or none, where it has not begun
   */
  static ReaderFacts of(
      Kind kind, String name, long[] positions, Queue queue, List<PartitionInfo> infos) {
    List<Place> places = new ArrayList<>();
    for (PartitionInfo info : infos) {
      int partition = info.partition();
      long at = partition < positions.length ? positions[partition] : -1;
      long lag = queue.recordsFrom(partition, Math.max(0, at));
      places.add(new Place(partition, at, info.end(), lag));
    }
    return new ReaderFacts(name, kind, places);
  }
}
