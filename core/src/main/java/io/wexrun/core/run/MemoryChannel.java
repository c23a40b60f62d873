package io.wexrun.core.run;

import io.wexrun.core.intake.Block;
import java.util.ArrayDeque;
import java.util.Optional;
import java.util.Queue;

/**
 * The bounded buffer between intake and lanes. A block counts from {@link #put} until its bytes are
 * {@linkplain #release released}, which is when its rows are in the targets' buffers: so slow
 * targets hold up the intake. A block larger than the whole bound passes alone.
 */
final class MemoryChannel {
  /** A block with its number in the order of the intake, from 0. */
  record Ticket(long number, Block block) {}

  private final long bound;
  private final Queue<Ticket> waiting = new ArrayDeque<>();
  private long bytes;
  private long next;
  private boolean closed;

  MemoryChannel(long bound) {
    this.bound = bound;
  }

  /** Adds a block when there is room; false if the channel was closed meanwhile. */
  synchronized boolean put(Block block) throws InterruptedException {
    while (bytes > 0 && bytes + block.length() > bound && !closed) {
      wait();
    }
    if (closed) {
      return false;
    }
    bytes += block.length();
    waiting.add(new Ticket(next++, block));
    notifyAll();
    return true;
  }

  /** The next block; empty once the channel is closed and nothing waits. */
  synchronized Optional<Ticket> take() throws InterruptedException {
    while (waiting.isEmpty() && !closed) {
      wait();
    }
    return Optional.ofNullable(waiting.poll());
  }

  /** Gives back the room of a block. */
  synchronized void release(Block block) {
    bytes -= block.length();
    notifyAll();
  }

  /** Takes no more blocks; those that wait can still be taken. Returns how many were put. */
  synchronized long close() {
    closed = true;
    notifyAll();
    return next;
  }

  /** Closes and forgets what waits. */
  synchronized void abandon() {
    closed = true;
    waiting.clear();
    notifyAll();
  }
}
