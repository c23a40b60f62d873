package io.wexrun.core.run;

import java.util.concurrent.DelayQueue;
import java.util.concurrent.Delayed;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * Threads on which the work of all pipelines is done in turns, so that who has nothing to do has no
 * thread. A thread waits for the next turn that is due; there are as many as turns are under way,
 * and one more that waits, up to a bound. For several threads.
 */
final class Turns implements AutoCloseable {
  /** Nothing is left to do. */
  static final long DONE = -1;

  /** As long as nobody wakes it. */
  static final long WHEN_WOKEN = TimeUnit.DAYS.toMillis(1);

  /**
   * A turn may wait for a disk or a server that hangs; others go on as long as threads are left.
   */
  private static final int MOST = 96;

  /** More need not wait for a next turn. */
  private static final int MOST_SPARE = 8;

  private static final long SPARE_SECONDS = 5;
  private static final long NEVER = Long.MAX_VALUE;

  /** What is done in turns; it throws nothing. */
  @FunctionalInterface
  interface Work {
    /**
     * Does what can be done now.
     *
     * @return after how many milliseconds the next turn is due at the latest, or {@link #DONE}
     */
    long turn();
  }

  private final DelayQueue<Task> waiting = new DelayQueue<>();
  private final AtomicInteger threads = new AtomicInteger();
  private final AtomicInteger spare = new AtomicInteger();
  private final AtomicInteger named = new AtomicInteger();
  private volatile boolean closed;

  /** Work that has its first turn once it is woken. */
  Task of(Work work) {
    return new Task(work);
  }

  /** Starts a thread if none waits for the next turn. */
  private void reinforce() {
    if (spare.get() > 0 || closed) {
      return;
    }
    if (threads.incrementAndGet() > MOST) {
      threads.decrementAndGet();
      return;
    }
    spare.incrementAndGet(); // It is counted before it runs, so that only one is started.
    Thread thread = new Thread(this::work, "wexrun-turns-" + named.getAndIncrement());
    thread.setDaemon(true);
    thread.start();
  }

  private void work() {
    try {
      while (!closed) {
        Task next = waiting.poll(SPARE_SECONDS, TimeUnit.SECONDS);
        if (next != null) {
          spare.decrementAndGet();
          reinforce();
          try {
            next.run();
          } finally {
            spare.incrementAndGet();
          }
        }
        int spares = spare.get();
        int most = next == null ? 1 : MOST_SPARE;
        if (spares > most && spare.compareAndSet(spares, spares - 1)) {
          return; // At least one stays, which waits for what is due next.
        }
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt(); // Nobody does.
    } finally {
      threads.decrementAndGet();
    }
  }

  /** No turn begins any more. */
  @Override
  public void close() {
    closed = true;
    for (int i = threads.get(); i > 0; i--) {
      Task nothing = new Task(() -> DONE);
      nothing.wake(); // Each wakes a thread that waits.
    }
  }

  /** Work with its turns: never two at once. For several threads. */
  final class Task implements Delayed {
    private final Work work;
    private volatile long due = NEVER; // It changes only while this does not stand in the queue.
    private boolean queued;
    private boolean running;
    private boolean done;

    private Task(Work work) {
      this.work = work;
    }

    /** A turn is due now; if one is under way, there is another one behind it. */
    void wake() {
      wakeWithin(0);
    }

    /** A turn is due so soon, unless one is due earlier. */
    void wakeWithin(long millis) {
      synchronized (this) {
        long then = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(millis);
        if (done || due != NEVER && due - then <= 0) {
          return;
        }
        if (queued && !waiting.remove(this)) {
          return; // Its turn begins just now.
        }
        due = then;
        enqueue();
      }
      reinforce();
    }

    /** Called with the lock. */
    private void enqueue() {
      queued = !running && due != NEVER;
      if (queued) {
        waiting.add(this);
      }
    }

    private void run() {
      synchronized (this) {
        queued = false;
        running = true;
        due = NEVER;
      }
      long next = work.turn();
      synchronized (this) {
        running = false;
        done = next == DONE;
        if (done) {
          return;
        }
        long latest = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(next);
        due = due == NEVER || latest - due < 0 ? latest : due;
        enqueue();
      }
    }

    @Override
    public long getDelay(TimeUnit unit) {
      return unit.convert(due - System.nanoTime(), TimeUnit.NANOSECONDS);
    }

    @Override
    public int compareTo(Delayed other) {
      return Long.signum(due - ((Task) other).due);
    }
  }
}
