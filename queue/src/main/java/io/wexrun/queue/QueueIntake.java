package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import java.time.Duration;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;

/** A queue as an intake: its partitions are the source partitions. */
public final class QueueIntake implements Intake {
  private static final int BLOCK = 1 << 20;

  private final Queue queue;
  private final BooleanSupplier fed;
  private final SourcePartition[] sources;
  private final long[] positions;
  private int turn;

  /**
   * Reads a queue.
   *
   * @param positions where known partitions go on
   * @param fromNewest whether partitions that are not known start at their end, not at the oldest
   * @param fed whether nobody in this process appends any more; asked before each look for an end
   * @throws OutsideException if a position lies outside of what the queue has
   */
  public QueueIntake(
      Queue queue, Map<SourcePartition, Long> positions, boolean fromNewest, BooleanSupplier fed) {
    this.queue = queue;
    this.fed = fed;
    this.sources = new SourcePartition[queue.partitions()];
    this.positions = new long[queue.partitions()];
    queue.refresh();
    for (int i = 0; i < sources.length; i++) {
      sources[i] = new SourcePartition(queue.name() + "/" + i);
      Partition partition = queue.partition(i);
      long fresh = fromNewest ? partition.end() : partition.oldest();
      this.positions[i] = positions.getOrDefault(sources[i], fresh);
      if (this.positions[i] < partition.oldest() || this.positions[i] > partition.end()) {
        throw new OutsideException(
            "the tally goes on at position "
                + this.positions[i]
                + " of "
                + sources[i]
                + ", but the queue has positions "
                + partition.oldest()
                + " to "
                + partition.end()
                + ": the queue's folder was replaced or records were lost");
      }
    }
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    queue.refresh();
    Optional<Block> block = next();
    if (block.isEmpty() && !fed.getAsBoolean()) {
      queue.awaitAppend(wait.toMillis());
      queue.refresh();
      block = next();
    }
    return block;
  }

  private Optional<Block> next() {
    for (int tried = 0; tried < sources.length; tried++) {
      int partition = turn;
      turn = (turn + 1) % sources.length;
      long from = positions[partition];
      Optional<Partition.Chunk> chunk = queue.partition(partition).read(from, BLOCK);
      if (chunk.isPresent()) {
        positions[partition] = chunk.get().end();
        return Optional.of(
            new Block(
                sources[partition],
                from,
                chunk.get().end(),
                chunk.get().data(),
                chunk.get().length(),
                Packs.FRAMING));
      }
    }
    return Optional.empty();
  }

  @Override
  public boolean drained() {
    if (!fed.getAsBoolean()) {
      return false;
    }
    // Asked in this order: what was appended before nobody appended any more is seen here.
    for (int i = 0; i < sources.length; i++) {
      if (positions[i] < queue.partition(i).end()) {
        return false;
      }
    }
    return true;
  }

  @Override
  public void close() {
    // The queue belongs to who opened it.
  }
}
