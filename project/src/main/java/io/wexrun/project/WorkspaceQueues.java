package io.wexrun.project;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueFolder;
import io.wexrun.queue.Repair;
import io.wexrun.queue.Verification;
import java.nio.file.Files;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * The queues of a workspace, with the dead letters of its pipelines as {@code dead/PIPELINE} and
 * their channels on disk as {@code channel/PIPELINE}. For several threads.
 */
public final class WorkspaceQueues {
  private final WorkspaceDefinition definition;
  private final Holdings holdings;

  WorkspaceQueues(WorkspaceDefinition definition, Holdings holdings) {
    this.definition = definition;
    this.holdings = holdings;
  }

  /** The names of all queues; dead letters behind the others, and channels behind those. */
  public List<String> names() {
    List<String> names = new ArrayList<>(definition.queues().keySet());
    definition.pipelines().stream().map(Pipeline::deadLetters).forEach(names::add);
    definition.pipelines().stream()
        .map(Pipeline::channelQueue)
        .filter(this::exists)
        .forEach(names::add);
    return names;
  }

  private boolean exists(String name) {
    return Files.exists(holdings.queueFolder(name).resolve("p0"));
  }

  /** The channels on disk that there are, with how many records wait in each. */
  public Map<String, Long> channels() {
    Map<String, Long> channels = new LinkedHashMap<>();
    for (Pipeline pipeline : definition.pipelines()) {
      if (exists(pipeline.channelQueue())) {
        channels.put(pipeline.channelQueue(), holdings.held(pipeline));
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
    return holdings.queue(name);
  }

  /**
   * A queue only for reading; works while another process appends. The caller closes it.
   *
   * @return empty if it has not been made yet
   */
  public Optional<Queue> read(String name) {
    return Queue.openToRead(holdings.queueFolder(name), name);
  }

  /**
   * Makes a queue as it is defined, if it is not there. Whoever appends first does this too.
   *
   * @return whether it was made
   * @throws IllegalArgumentException if there is no queue of that name
   */
  public boolean create(String name) {
    boolean there = exists(name);
    open(name);
    return !there;
  }

  /**
   * Reads every byte of a queue, and says what is wrong.
   *
   * @return empty if it has not been made yet
   */
  public Optional<Verification> verify(String name) {
    return QueueFolder.verify(holdings.queueFolder(name));
  }

  /**
   * Makes a damaged queue one that can be opened; see {@link QueueFolder#repair}. Positions that
   * the tally of a pipeline has passed are not given to other records.
   *
   * @param dry whether to change nothing and only say what would be done
   * @return empty if it has not been made yet
   */
  public Optional<Repair> repair(String name, boolean dry) {
    return QueueFolder.repair(
        holdings.queueFolder(name), name, holdings.readers(name).values(), dry);
  }

  /**
   * Removes a queue with all records.
   *
   * @return how many records it had
   * @throws OutsideException if another process holds it
   */
  public long delete(String name) {
    return holdings.deleteQueue(name);
  }

  /**
   * The pipelines that read a queue.
   *
   * @return by their names, up to which position of each partition they have accounted for it;
   *     without the partitions behind the last one that they have begun
   */
  public Map<String, long[]> readers(String name) {
    return holdings.readers(name);
  }
}
