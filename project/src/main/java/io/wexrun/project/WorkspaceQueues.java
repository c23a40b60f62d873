package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.facts.QueueFacts;
import io.wexrun.project.facts.ReaderFacts;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.queue.Queue;
import io.wexrun.queue.care.QueueFolder;
import io.wexrun.queue.care.Repair;
import io.wexrun.queue.care.Verification;
import io.wexrun.queue.ends.DiskChannelConnector;
import io.wexrun.queue.ends.Queues;
import io.wexrun.state.WorkspaceState;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.function.Supplier;
import java.util.stream.Stream;

/**
 * The queues of a workspace, with what its pipelines receive as {@code received/PIPELINE}, their
 * dead letters as {@code dead/PIPELINE} and their channels on disk as {@code channel/PIPELINE}. For
 * several threads.
 */
public final class WorkspaceQueues {
  /** How the history calls the removal of a queue. */
  static final String DELETE = "delete queue";

  private static final String QUEUE = "queue";

  private final WorkspaceDefinition definition;
  private final Queues queues;
  private final Ends ends;
  private final WorkspaceSite site;
  private final List<String> undefined;

  WorkspaceQueues(
      WorkspaceDefinition definition,
      Queues queues,
      Ends ends,
      WorkspaceSite site,
      List<String> undefined) {
    this.definition = definition;
    this.queues = queues;
    this.ends = ends;
    this.site = site;
    this.undefined = undefined;
  }

  /** The names of the queues that are defined. */
  public List<String> defined() {
    return definition.targetsOf(QUEUE);
  }

  /** The names of the queues into which pipelines receive, whether they are there yet or not. */
  public List<String> received() {
    return definition.pipelines().stream()
        .map(Pipeline::intake)
        .filter(intake -> !intake.kind().equals(QUEUE))
        .flatMap(intake -> intake.text(Settings.QUEUE).stream())
        .distinct()
        .toList();
  }

  /** The names of all queues; what is received, dead letters and channels behind those defined. */
  public List<String> names() {
    List<String> names = new ArrayList<>(defined());
    definition.pipelines().stream()
        .map(pipeline -> Queues.RECEIVED + pipeline.name())
        .filter(queues::exists)
        .forEach(names::add);
    definition.pipelines().stream().map(Pipeline::deadLetters).forEach(names::add);
    undefined.stream().map(name -> "dead/" + name).filter(queues::exists).forEach(names::add);
    definition.pipelines().forEach(pipeline -> names.addAll(rebuilt(pipeline.name())));
    definition.pipelines().stream()
        .map(WorkspaceQueues::channel)
        .filter(queues::exists)
        .forEach(names::add);
    return names;
  }

  /** The dead letters of a pipeline's rebuilds, and those of before a swap, as they are there. */
  private List<String> rebuilt(String pipeline) {
    return site.stateIfAny().map(state -> state.rebuilds().all(pipeline)).orElse(List.of()).stream()
        .flatMap(
            rebuild ->
                rebuild.phase().isOpen()
                    ? Stream.of(rebuild.letters())
                    : rebuild.swapped().map(time -> rebuild.keptLetters()).stream())
        .filter(queues::exists)
        .toList();
  }

  private static String channel(Pipeline pipeline) {
    return DiskChannelConnector.queueOf(pipeline.name());
  }

  /** Figures of all queues, in the order of {@link #names}; also while another process writes. */
  public List<QueueFacts> facts() {
    return names().stream().map(this::facts).toList();
  }

  /** Figures of a queue, and who reads it; also while another process writes to it. */
  public QueueFacts facts(String name) {
    Long held = channels().get(name);
    return QueueFacts.of(queues, name, held == null ? OptionalLong.empty() : OptionalLong.of(held));
  }

  /** The channels on disk that there are, with how many records wait in each. */
  public Map<String, Long> channels() {
    Map<String, Long> channels = new LinkedHashMap<>();
    for (Pipeline pipeline : definition.pipelines()) {
      if (queues.exists(channel(pipeline))) {
        channels.put(channel(pipeline), ends.held(pipeline.name()));
      }
    }
    return channels;
  }

  /**
   * A queue for reading and appending, made if it is not there. The workspace closes it.
   *
   * @throws OutsideException if another process appends to it; the message names it
   * @throws IllegalArgumentException if there is no queue of that name
   */
  public Queue open(String name) {
    if (!names().contains(name)) {
      throw new IllegalArgumentException("there is no queue " + name);
    }
    return queues.open(name);
  }

  /**
   * A queue only for reading; works while another process appends. The caller closes it.
   *
   * @return empty if it has not been made yet
   */
  public Optional<Queue> read(String name) {
    return queues.openToRead(name);
  }

  /**
   * How many records pipelines have appended to a queue, counted from its files.
   *
   * @return empty if the queue does not have its oldest records any more
   * @throws OutsideException if it cannot be read
   */
  public OptionalLong counted(String name, Set<String> pipelines) {
    return queues.counted(name, pipelines);
  }

  /**
   * Makes a queue as it is defined, if it is not there. Whoever appends first does this too.
   *
   * @return whether it was made
   * @throws IllegalArgumentException if there is no queue of that name
   */
  public boolean create(String name) {
    boolean there = queues.exists(name);
    open(name);
    return !there;
  }

  /**
   * Reads every byte of a queue, and says what is wrong.
   *
   * @return empty if it has not been made yet
   */
  public Optional<Verification> verify(String name) {
    return QueueFolder.verify(queues.folder(name));
  }

  /**
   * Makes a damaged queue one that can be opened; see {@link QueueFolder#repair}. Positions that
   * the tally of a pipeline has passed are not given to other records.
   *
   * @param dry whether to change nothing and only say what would be done
   * @return empty if it has not been made yet
   */
  public Optional<Repair> repair(String name, boolean dry) {
    Supplier<Optional<Repair>> repair =
        () -> QueueFolder.repair(queues.folder(name), name, queues.readers(name).values(), dry);
    return dry ? repair.get() : new WorkspaceHistory(site).noting("repair queue", name, "", repair);
  }

  /**
   * Who has not read all of a queue: groups and pipelines, with how many records each is behind. Of
   * a channel on disk, the pipeline whose records wait in it.
   */
  public Map<String, Long> unread(String name) {
    Map<String, Long> unread = new LinkedHashMap<>();
    QueueFacts facts = facts(name);
    if (facts.held().isPresent()) {
      unread.put("pipeline " + name.substring(name.indexOf('/') + 1), facts.held().getAsLong());
    } else {
      facts
          .readers()
          .forEach(
              reader -> {
                boolean group = reader.kind() == ReaderFacts.Kind.GROUP;
                unread.put((group ? "group " : "pipeline ") + reader.name(), reader.lag());
              });
    }
    unread.values().removeIf(records -> records == 0);
    return unread;
  }

  /**
   * Removes a queue with all records. Pipelines that write to it make the next one anew, and those
   * that read it begin with the next one's first record.
   *
   * @return how many records it had
   * @throws OutsideException if another process holds it; or if a pipeline has written more to it
   *     than its books say, since it would write that again, to the next queue of this name
   */
  public long delete(String name) {
    site.stateIfAny().ifPresent(state -> requireAccounted(name, state));
    long records = new WorkspaceHistory(site).noting(DELETE, name, "", () -> queues.delete(name));
    site.stateIfAny()
        .ifPresent(
            state -> {
              for (String pipeline : state.corrections().pipelines()) {
                boolean dead = name.equals("dead/" + pipeline);
                state.corrections().removeTarget(pipeline, dead ? Route.DEAD : name);
              }
            });
    return records;
  }

  private void requireAccounted(String name, WorkspaceState state) {
    for (String pipeline : state.corrections().pipelines()) {
      Map<SourcePartition, Long> positions = state.tally().positions(pipeline);
      boolean more =
          queues.written(name, pipeline).entrySet().stream()
              .anyMatch(w -> w.getValue() > positions.getOrDefault(w.getKey(), 0L));
      if (more) {
        throw OutsideException.lasting(
            "pipeline "
                + pipeline
                + " was killed while it wrote to queue "
                + name
                + ", and would write that again to the next one: run it once, so that its books"
                + " are right, and then delete the queue");
      }
    }
  }

  /**
   * The pipelines that read a queue.
   *
   * @return by their names, up to which position of each partition they have accounted for it;
   *     without the partitions behind the last one that they have begun
   */
  public Map<String, long[]> readers(String name) {
    return queues.readers(name);
  }
}
