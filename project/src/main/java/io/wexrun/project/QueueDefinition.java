package io.wexrun.project;

/**
 * A queue of a workspace.
 *
 * @param partitions 1 to 10,000; counts when the queue is made
 */
public record QueueDefinition(int partitions) {
  /** One partition, the default. */
  public static final QueueDefinition DEFAULT = new QueueDefinition(1);

  /** Rejects a number of partitions out of range. */
  public QueueDefinition {
    if (partitions < 1 || partitions > 10_000) {
      throw new IllegalArgumentException("a queue has 1 to 10000 partitions, not " + partitions);
    }
  }
}
