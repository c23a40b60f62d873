package io.wexrun.project;

import io.wexrun.queue.Codec;
import io.wexrun.queue.Keep;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.SyncPolicy;

/**
 * A queue of a workspace.
 *
 * @param partitions 1 to 10,000; counts when the queue is made
 * @param keep how long records are kept
 * @param codec how packs are compressed
 * @param sync when what producers append is forced onto the disk; pipelines do it before they
 *     account for anything, whatever this says
 */
public record QueueDefinition(int partitions, Keep keep, Codec codec, SyncPolicy sync) {
  /** One partition, everything kept, nothing compressed: the default. */
  public static final QueueDefinition DEFAULT = new QueueDefinition(1);

  /** Rejects a number of partitions out of range. */
  public QueueDefinition {
    if (partitions < 1 || partitions > 10_000) {
      throw new IllegalArgumentException("a queue has 1 to 10000 partitions, not " + partitions);
    }
  }

  /** So many partitions, everything kept, nothing compressed. */
  public QueueDefinition(int partitions) {
    this(partitions, Keep.ALL, Codec.NONE, SyncPolicy.eachPack());
  }

  QueueOptions options() {
    return QueueOptions.partitions(partitions).keep(keep).codec(codec).sync(sync);
  }
}
