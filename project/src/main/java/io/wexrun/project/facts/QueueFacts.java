package io.wexrun.project.facts;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.Queues;
import io.wexrun.queue.log.PartitionInfo;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * A queue of a workspace: one that is defined, dead letters, or a channel on disk.
 *
 * @param name its name
 * @param partitions each partition's figures; none if nothing was ever appended
 * @param readers who reads it
 * @param held for a channel, how many records wait in it; its own records are blocks of those
 * @param cannotOpen why it cannot be opened; then nothing else is known of it
 */
public record QueueFacts(
    String name,
    List<PartitionInfo> partitions,
    List<ReaderFacts> readers,
    OptionalLong held,
    Optional<String> cannotOpen) {
  /** Copies the lists. */
  public QueueFacts {
    partitions = List.copyOf(partitions);
    readers = List.copyOf(readers);
  }

  /** How many records it has. */
  public long records() {
    return partitions.stream().mapToLong(PartitionInfo::records).sum();
  }

  /** How many packs it has. */
  public long packs() {
    return partitions.stream().mapToLong(PartitionInfo::packs).sum();
  }

  /** How many bytes its files have. */
  public long bytes() {
    return partitions.stream().mapToLong(PartitionInfo::bytes).sum();
  }

  /** How many positions have no record since a repair. */
  public long lost() {
    return partitions.stream().mapToLong(PartitionInfo::lost).sum();
  }

  /**
   * Looks at a queue, also while another process writes to it.
   *
   * @param held how many records wait, if it is a channel
   */
  public static QueueFacts of(Queues queues, String name, OptionalLong held) {
    try {
      Optional<Queue> found = queues.openToRead(name);
      if (found.isEmpty()) {
        return new QueueFacts(name, List.of(), List.of(), held, Optional.empty());
      }
      try (Queue queue = found.get()) {
        List<PartitionInfo> infos = queue.describe();
        List<ReaderFacts> readers = new ArrayList<>();
        for (String group : queue.groups()) {
          long[] committed = queue.committed(group);
          readers.add(ReaderFacts.of(ReaderFacts.Kind.GROUP, group, committed, queue, infos));
        }
        queues
            .readers(name)
            .forEach(
                (pipeline, positions) ->
                    readers.add(
                        ReaderFacts.of(
                            ReaderFacts.Kind.PIPELINE, pipeline, positions, queue, infos)));
        return new QueueFacts(name, infos, readers, held, Optional.empty());
      }
    } catch (OutsideException e) {
      return new QueueFacts(name, List.of(), List.of(), held, Optional.of(e.getMessage()));
    }
  }
}
