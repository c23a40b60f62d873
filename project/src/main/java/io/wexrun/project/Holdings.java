package io.wexrun.project;

import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.queue.DiskChannel;
import io.wexrun.queue.PartitionInfo;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueIntake;
import io.wexrun.queue.QueueTarget;
import io.wexrun.state.Hold;
import io.wexrun.state.WorkspaceState;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BooleanSupplier;
import java.util.stream.Stream;

/** What a workspace has open: state, stores and queues, each opened once, when first used. */
final class Holdings implements AutoCloseable {
  private final Path folder;
  private final WorkspaceDefinition definition;
  private final Connectors connectors;
  private final Map<String, Queue> queues = new LinkedHashMap<>();
  private final Map<String, Queue> queuesToRead = new LinkedHashMap<>();
  private final Map<String, Store> stores = new LinkedHashMap<>();
  private WorkspaceState state;

  Holdings(Path folder, WorkspaceDefinition definition, Connectors connectors) {
    this.folder = folder;
    this.definition = definition;
    this.connectors = connectors;
  }

  static void makeFolder(Path path) {
    try {
      Files.createDirectories(path);
    } catch (IOException e) {
      throw new OutsideException("cannot make the folder " + path + ": " + e.getMessage(), e);
    }
  }

  private Path stateFile() {
    return folder.resolve(".wexrun").resolve("state.db");
  }

  synchronized WorkspaceState state() {
    if (state == null) {
      state = WorkspaceState.open(stateFile());
    }
    return state;
  }

  /** The state, but only if there is some already. */
  Optional<WorkspaceState> stateIfAny() {
    return Files.exists(stateFile()) ? Optional.of(state()) : Optional.empty();
  }

  Path queueFolder(String name) {
    return folder.resolve(".wexrun").resolve("queues").resolve(name);
  }

  /** The channel of a pipeline on disk, made if it is not there. Whoever opens it closes it. */
  DiskChannel channel(Pipeline pipeline, long bound) {
    String name = pipeline.channelQueue();
    return DiskChannel.open(queueFolder(name), name, bound, state().positions(pipeline.name()));
  }

  /** How many records of a pipeline wait in its channel on disk. */
  long held(Pipeline pipeline) {
    String name = pipeline.channelQueue();
    if (!Files.exists(queueFolder(name).resolve("p0"))) {
      return 0;
    }
    Map<SourcePartition, Long> positions =
        stateIfAny().map(state -> state.positions(pipeline.name())).orElse(Map.of());
    return DiskChannel.held(queueFolder(name), name, positions);
  }

  /** A queue for reading and appending, made if it is not there. */
  synchronized Queue queue(String name) {
    return queues.computeIfAbsent(
        name,
        n -> {
          QueueDefinition defined = definition.queues().getOrDefault(n, QueueDefinition.DEFAULT);
          Queue queue = Queue.open(queueFolder(n), n, defined.options());
          queue.alsoReadBy(() -> List.copyOf(readers(n).values()));
          return queue;
        });
  }

  /** Removes a queue's folder; how many records it had. */
  synchronized long deleteQueue(String name) {
    if (!Files.exists(queueFolder(name).resolve("queue"))) {
      return 0;
    }
    long records;
    Queue open = queue(name); // Held, so that nobody else writes to it.
    records = open.describe().stream().mapToLong(PartitionInfo::records).sum();
    open.close();
    queues.remove(name);
    try (Stream<Path> files = Files.walk(queueFolder(name))) {
      for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
        Files.delete(file);
      }
    } catch (IOException e) {
      throw new OutsideException("cannot remove queue " + name + ": " + e.getMessage(), e);
    }
    return records;
  }

  /**
   * The pipelines that read a queue, and of each partition up to where they have accounted for it;
   * 0 where they have not begun.
   */
  Map<String, long[]> readers(String queue) {
    Map<String, long[]> readers = new LinkedHashMap<>();
    for (Pipeline pipeline : definition.pipelines()) {
      if (pipeline.intake().kind().equals(Checker.QUEUE)
          && pipeline.intake().main().equals(queue)) {
        Map<SourcePartition, Long> positions =
            stateIfAny().map(state -> state.positions(pipeline.name())).orElse(Map.of());
        int partitions =
            positions.keySet().stream().mapToInt(source -> partition(source) + 1).max().orElse(0);
        long[] ends = new long[partitions];
        positions.forEach((source, end) -> ends[partition(source)] = end);
        readers.put(pipeline.name(), ends);
      }
    }
    return readers;
  }

  private static int partition(SourcePartition ofQueue) {
    String name = ofQueue.name();
    return Integer.parseInt(name.substring(name.lastIndexOf('/') + 1));
  }

  /** Whether a store is defined, of a kind that is known, and there already. */
  boolean storeExists(String name) {
    Settings settings = definition.stores().get(name);
    StoreConnector connector = settings == null ? null : connectors.stores().get(settings.kind());
    return connector != null && connector.exists(settings, folder);
  }

  synchronized Store store(String name) {
    return stores.computeIfAbsent(
        name,
        n -> {
          Settings settings = definition.stores().get(n);
          return connectors.stores().get(settings.kind()).open(n, settings, folder);
        });
  }

  /** The targets of a pipeline, opened: the ones named, and its dead letters. */
  Map<String, Target> targets(Pipeline pipeline, Set<String> names) {
    Map<String, Target> targets = new HashMap<>();
    try {
      targets.put(Route.DEAD, new QueueTarget(queue(pipeline.deadLetters()), pipeline.name()));
      for (String name : names) {
        targets.put(name, target(pipeline, name));
      }
      return targets;
    } catch (RuntimeException e) {
      targets.values().forEach(Target::close);
      throw e;
    }
  }

  private Target target(Pipeline pipeline, String name) {
    Table table = definition.tables().get(name);
    return table == null
        ? new QueueTarget(queue(name), pipeline.name())
        : store(table.store()).target(pipeline.name(), table);
  }

  /**
   * The intake of a pipeline, opened at some positions.
   *
   * @param appended whether pipelines of this run append to its queue
   * @param fed for queues: whether nobody in this run appends any more
   */
  Intake intake(
      Settings settings,
      Map<SourcePartition, Long> positions,
      boolean appended,
      BooleanSupplier fed) {
    if (!settings.kind().equals(Checker.QUEUE)) {
      return connectors.intakes().get(settings.kind()).open(settings, folder, positions);
    }
    boolean newest = settings.text("start").orElse("oldest").equals("newest");
    Queue queue = appended ? queue(settings.main()) : queueToRead(settings.main());
    return new QueueIntake(queue, positions, newest, fed);
  }

  /** A queue that this run only reads, so that another process may append to it. */
  private synchronized Queue queueToRead(String name) {
    Queue open = queues.get(name);
    if (open != null) {
      return open;
    }
    return queuesToRead.computeIfAbsent(
        name,
        n -> {
          Optional<Queue> toRead = Queue.openToRead(queueFolder(n), n);
          if (toRead.isPresent()) {
            return toRead.get();
          }
          queue(n).close();
          queues.remove(n);
          return Queue.openToRead(queueFolder(n), n).orElseThrow();
        });
  }

  /** Holds a pipeline for this process, so that no second one runs it. */
  Hold hold(Pipeline pipeline) {
    Path locks = folder.resolve(".wexrun").resolve("locks");
    makeFolder(locks);
    return Hold.take(locks.resolve(pipeline.name() + ".lock"), "pipeline " + pipeline.name());
  }

  @Override
  public synchronized void close() {
    queues.values().forEach(Queue::close);
    queues.clear();
    queuesToRead.values().forEach(Queue::close);
    queuesToRead.clear();
    stores.values().forEach(Store::close);
    stores.clear();
    if (state != null) {
      state.close();
      state = null;
    }
  }
}
