package io.wexrun.network.door;

import io.wexrun.queue.Parcel;
import io.wexrun.queue.Producer;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueFullException;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.function.LongSupplier;

/**
 * The way into a queue for what comes from the network. Never waits: what there is no room for is
 * not taken. For several threads.
 */
public final class Inbox implements AutoCloseable {
  private static final long LOOK = 100_000_000L;

  private final Queue queue;
  private final Producer producer;
  private final long room;
  private final LongSupplier behind;
  private final long mostBehind;
  private final Deque<Runnable> waiting = new ArrayDeque<>();
  private long held;
  private boolean behindTooFar;
  private boolean shut;
  private long lookedAt = System.nanoTime() - LOOK;
  private boolean last;
  private boolean closed;

  /**
   * The way into a queue, which stays open when the way is closed.
   *
   * @param behind how many records the pipeline has not read yet
   * @param mostBehind nothing is taken while it is more than that
   */
  public Inbox(Queue queue, LongSupplier behind, long mostBehind) {
    this.queue = queue;
    this.behind = behind;
    this.mostBehind = mostBehind;
    this.producer = queue.receiver();
    // The producer never waits for room then: it would keep a thread that serves all senders.
    this.room = Math.max(1, queue.options().bounds().heldBytes() / 2);
  }

  /** How many bytes a record may have. */
  public int longest() {
    return queue.options().bounds().longestRecord();
  }

  /**
   * Appends a parcel.
   *
   * @return completes when it is stored as the queue's sync policy asks, or with the failure; empty
   *     if it was not taken, because there is no room or the pipeline is too far behind
   * @throws IllegalArgumentException if a record of it is longer than the queue takes
   */
  public Optional<CompletableFuture<Void>> put(Parcel parcel) {
    long bytes = parcel.weight();
    synchronized (this) {
      if (closed || !hasRoom(bytes)) {
        return Optional.empty();
      }
      held += bytes;
    }
    CompletableFuture<Void> stored;
    try {
      stored = producer.append(parcel);
    } catch (QueueFullException e) {
      freed(bytes);
      return Optional.empty();
    } catch (RuntimeException e) {
      freed(bytes);
      throw e;
    }
    stored.whenComplete((nothing, failure) -> freed(bytes));
    return Optional.of(stored);
  }

  /** Whether a parcel of a weight would be taken now. */
  private boolean hasRoom(long bytes) {
    return last || !shut && (held == 0 || held + bytes <= room) && !isBehind();
  }

  /** Takes nothing, or takes again what comes. */
  void shut(boolean now) {
    synchronized (this) {
      shut = now;
    }
    wake();
  }

  /** Whether nothing is taken, however much room there is: what came could not be accounted for. */
  public synchronized boolean isShut() {
    return shut;
  }

  private boolean isBehind() {
    long now = System.nanoTime();
    if (mostBehind < Long.MAX_VALUE && now - lookedAt >= LOOK) {
      lookedAt = now;
      behindTooFar = behind.getAsLong() > mostBehind;
    }
    return behindTooFar;
  }

  /**
   * Runs something once there may be room again, in any thread; at once if there is, and not if
   * there never will be.
   *
   * @return whether it runs later
   */
  public boolean whenRoom(Runnable then) {
    synchronized (this) {
      if (closed) {
        return false;
      }
      if (!hasRoom(1)) {
        waiting.add(then);
        return true;
      }
    }
    then.run();
    return false;
  }

  private void freed(long bytes) {
    synchronized (this) {
      held -= bytes;
    }
    wake();
  }

  /** Those who wait look again. Called when room was made, and now and then. */
  public void wake() {
    while (true) {
      Runnable next;
      synchronized (this) {
        if (!hasRoom(1) && !closed || waiting.isEmpty()) {
          return;
        }
        next = waiting.poll();
      }
      next.run();
    }
  }

  /** Returns when everything that was taken before is stored, and can be read. */
  public void awaitStored() {
    producer.flush();
  }

  /** Stores what was taken, and what waits for room, and takes nothing more. */
  @Override
  public void close() {
    synchronized (this) {
      last = true; // Whoever waits came before.
    }
    wake();
    synchronized (this) {
      closed = true;
    }
    producer.close();
  }
}
