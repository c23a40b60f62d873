package io.wexrun.queue.ends;

import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.PartitionInfo;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Stream;

/**
 * The queues of a workspace: those defined, dead letters, and channels on disk; each in a folder of
 * its own, opened once in a process. For several threads.
 */
public final class Queues implements AutoCloseable {
  /** What names of queues begin with that pipelines receive into, if they name none. */
  public static final String RECEIVED = "received/";

  /** Such a queue keeps what its pipeline has not read. */
  private static final Settings OWN =
      new Settings("queue", Map.of("keep", Map.of("until", "read")));

  private final Site site;
  private final Map<String, Queue> open = new LinkedHashMap<>();
  private final Map<String, Queue> toRead = new LinkedHashMap<>();

  private Queues(Site site) {
    this.site = site;
  }

  /** The queues of a workspace; closed with it. */
  public static Queues of(Site site) {
    return site.shared(Queues.class, Queues::new);
  }

  /** The folder of a queue, whether it is there or not. */
  public Path folder(String name) {
    return site.data().resolve("queues").resolve(name);
  }

  /** Whether a queue has been made. */
  public boolean exists(String name) {
    return Files.exists(folder(name).resolve("p0"));
  }

  /**
   * A queue for reading and appending, made as it is defined if it is not there. It is closed with
   * the workspace.
   *
   * @throws OutsideException if another process appends to it; the message names it
   */
  public synchronized Queue open(String name) {
    return open.computeIfAbsent(
        name,
        n -> {
          Settings defined = site.targets().get(n);
          Settings undefined = n.startsWith(RECEIVED) ? OWN : new Settings("queue", Map.of());
          QueueOptions options = QueueSettings.options(defined == null ? undefined : defined, site);
          Queue queue = Queue.open(folder(n), n, options);
          try {
            readers(n).values().forEach(positions -> pass(queue, positions));
            queue.groups().forEach(group -> pass(queue, queue.committed(group)));
          } catch (RuntimeException e) {
            queue.close();
            throw e;
          }
          queue.alsoReadBy(() -> List.copyOf(readers(n).values()));
          return queue;
        });
  }

  /**
   * New records do not get positions that somebody has passed: they would be taken for those that
   * were there, and never read. So it is if the end of the queue was lost, or an older copy put
   * back.
   */
  private static void pass(Queue queue, long[] positions) {
    for (int number = 0; number < Math.min(positions.length, queue.partitions()); number++) {
      Partition partition = queue.partition(number);
      long end = partition.end();
      if (partition.passTo(positions[number]) > 0) {
        System.getLogger(Queues.class.getName())
            .log(
                System.Logger.Level.WARNING,
                "queue {0}: positions {1} to {2} of partition {3} were read, and are not there any"
                    + " more: its end was lost, or an older copy was put back. New records stand"
                    + " behind them",
                queue.name(),
                Long.toString(end),
                Long.toString(positions[number]),
                number);
      }
    }
  }

  /**
   * What targets have from positions that a queue does not have.
   *
   * @param name of a queue that may be there or not
   * @param reached up to where they have its records, by source partition
   * @return the end of each partition where that is before
   */
  public Map<SourcePartition, Long> endsBefore(String name, Map<SourcePartition, Long> reached) {
    Map<SourcePartition, Long> ends = new TreeMap<>();
    Optional<Queue> there = reached.isEmpty() ? Optional.empty() : openToRead(name);
    if (there.isEmpty()) {
      return ends;
    }
    List<KnownSource> known = new ArrayList<>();
    site.readers(name).values().forEach(known::addAll);
    try (Queue queue = there.get()) {
      reached.forEach(
          (source, position) -> {
            int number = QueueIntake.number(source);
            Identity expected = QueueIntake.identity(queue.identity(), number);
            boolean another =
                known.stream()
                    .filter(k -> k.partition().equals(source))
                    .anyMatch(k -> !k.identity().orElse(expected).equals(expected));
            if (!another
                && number < queue.partitions()
                && position > queue.partition(number).end()) {
              ends.put(source, queue.partition(number).end());
            }
          });
    }
    return ends;
  }

  /**
   * New records of a queue do not get positions that targets have passed.
   *
   * @param reached up to where they have its records, by source partition
   * @throws OutsideException if another process appends
   */
  public void pass(String name, Map<SourcePartition, Long> reached) {
    Map<SourcePartition, Long> passed = new TreeMap<>(reached);
    passed.keySet().retainAll(endsBefore(name, reached).keySet());
    passed.forEach(
        (source, position) -> {
          int number = QueueIntake.number(source);
          long[] positions = new long[number + 1];
          positions[number] = position;
          pass(open(name), positions);
        });
  }

  /**
   * Who has read records of a queue that it does not have any more; if they were appended again,
   * they would be read again.
   *
   * @param readers the pipelines that read it, and up to where
   * @return for people
   */
  public List<String> readBeyond(String name, Map<String, List<KnownSource>> readers) {
    List<String> beyond = new ArrayList<>();
    Optional<Queue> there = openToRead(name);
    try {
      readers.forEach(
          (pipeline, sources) ->
              sources.stream()
                  .filter(source -> source.position() > 0 && isBeyond(there, source))
                  .findFirst()
                  .ifPresent(
                      source ->
                          beyond.add(
                              "pipeline "
                                  + pipeline
                                  + " has read "
                                  + source.partition()
                                  + " up to position "
                                  + source.position())));
      if (there.isPresent()) {
        Queue queue = there.get();
        for (String group : queue.groups()) {
          long[] positions = queue.committed(group);
          for (int number = 0; number < queue.partitions(); number++) {
            if (queue.partition(number).lacksBefore(positions[number])) {
              beyond.add(
                  "group "
                      + group
                      + " has read "
                      + name
                      + "/"
                      + number
                      + " up to position "
                      + positions[number]);
              break;
            }
          }
        }
      }
    } finally {
      there.ifPresent(Queue::close);
    }
    return beyond;
  }

  private static boolean isBeyond(Optional<Queue> there, KnownSource source) {
    int number = QueueIntake.number(source.partition());
    if (there.isEmpty() || number >= there.get().partitions()) {
      return true;
    }
    Identity identity = QueueIntake.identity(there.get().identity(), number);
    return !source.identity().orElse(identity).equals(identity)
        || there.get().partition(number).lacksBefore(source.position());
  }

  /**
   * A queue only for reading, also while another process appends to it.
   *
   * @return empty if it has not been made yet; the caller closes it
   */
  public Optional<Queue> openToRead(String name) {
    return Queue.openToRead(folder(name), name, site.keys());
  }

  /**
   * A queue that this process only reads, made if it is not there, and closed with the workspace.
   */
  public synchronized Queue shared(String name) {
    Queue writable = open.get(name);
    if (writable != null) {
      return writable;
    }
    return toRead.computeIfAbsent(
        name,
        n -> {
          Optional<Queue> there = openToRead(n);
          if (there.isPresent()) {
            return there.get();
          }
          open(n).close();
          open.remove(n);
          return openToRead(n).orElseThrow();
        });
  }

  /**
   * The pipelines that read a queue, and of each partition up to where they have accounted for it;
   * 0 where they have not begun, and without the partitions behind the last one that they have
   * begun.
   */
  public Map<String, long[]> readers(String name) {
    Map<String, long[]> readers = new LinkedHashMap<>();
    Optional<Identity> identity = identity(name);
    site.readers(name)
        .forEach((pipeline, sources) -> readers.put(pipeline, ends(sources, identity)));
    return readers;
  }

  /** How far each source partition of a pipeline has got in a queue; nothing if there is none. */
  public Map<SourcePartition, Long> written(String name, String pipeline) {
    Optional<Queue> there = openToRead(name);
    try {
      return there.map(q -> QueueTarget.ofRecords(q, pipeline).progress()).orElse(Map.of());
    } finally {
      there.ifPresent(Queue::close);
    }
  }

  /**
   * How many records pipelines have appended to a queue, counted from its files.
   *
   * @return empty if the queue does not have its oldest records any more
   * @throws OutsideException if it cannot be read
   */
  public OptionalLong counted(String name, Set<String> pipelines) {
    Optional<Queue> there = openToRead(name);
    if (there.isEmpty()) {
      return OptionalLong.of(0);
    }
    try (Queue queue = there.get()) {
      long records = 0;
      for (int number = 0; number < queue.partitions(); number++) {
        Partition partition = queue.partition(number);
        if (partition.oldest() > 0) {
          return OptionalLong.empty();
        }
        records += partition.recordsOf(producer -> QueueTarget.isOf(producer, pipelines));
      }
      return OptionalLong.of(records);
    }
  }

  /** Who a queue is; empty if it has not been made yet, or its description is damaged. */
  private Optional<Identity> identity(String name) {
    synchronized (this) {
      Queue known = open.get(name);
      if (known != null) {
        return Optional.of(known.identity());
      }
    }
    return Queue.identityOf(folder(name));
  }

  /** The positions in the queue as it is; those in one that had its name before do not count. */
  private static long[] ends(List<KnownSource> sources, Optional<Identity> queue) {
    Map<Integer, Long> ends = new TreeMap<>();
    for (KnownSource source : sources) {
      int number = QueueIntake.number(source.partition());
      Optional<Identity> expected = queue.map(who -> QueueIntake.identity(who, number));
      boolean unknown = expected.isEmpty() || source.identity().isEmpty();
      if (unknown || source.identity().equals(expected)) {
        ends.merge(number, source.position(), Math::max);
      }
    }
    long[] all = new long[ends.keySet().stream().mapToInt(n -> n + 1).max().orElse(0)];
    ends.forEach((number, end) -> all[number] = end);
    return all;
  }

  /**
   * Removes a queue with all its records.
   *
   * @return how many records it had
   * @throws OutsideException if another process holds it
   */
  public synchronized long delete(String name) {
    if (!Files.exists(folder(name).resolve("queue"))) {
      return 0;
    }
    Queue held = open(name); // Held, so that nobody else writes to it.
    long records = held.describe().stream().mapToLong(PartitionInfo::records).sum();
    held.close();
    open.remove(name);
    List<Path> all = new ArrayList<>();
    try (Stream<Path> files = Files.walk(folder(name))) {
      files.sorted(Comparator.reverseOrder()).forEach(all::add);
      for (Path file : all) {
        Files.delete(file);
      }
    } catch (IOException e) {
      throw new OutsideException("cannot remove queue " + name + ": " + e.getMessage(), e);
    }
    return records;
  }

  /**
   * Gives a queue another name, which none has; nothing if there is no queue of that name. Nobody
   * uses it meanwhile.
   *
   * @throws OutsideException if it cannot be done
   */
  public synchronized void rename(String name, String other) {
    Queue known = open.remove(name);
    if (known != null) {
      known.close();
    }
    Queue read = toRead.remove(name);
    if (read != null) {
      read.close();
    }
    if (!exists(name)) {
      return;
    }
    try {
      Files.createDirectories(folder(other).getParent());
      Files.move(folder(name), folder(other), StandardCopyOption.ATOMIC_MOVE);
    } catch (IOException e) {
      throw new OutsideException(
          "cannot give queue " + name + " the name " + other + ": " + e.getMessage(), e);
    }
  }

  @Override
  public synchronized void close() {
    open.values().forEach(Queue::close);
    open.clear();
    toRead.values().forEach(Queue::close);
    toRead.clear();
  }
}
