package io.wexrun.core.run;

import io.wexrun.core.channel.Memory;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.LinkedTransferQueue;
import java.util.concurrent.ThreadFactory;
import java.util.concurrent.ThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * What all pipelines of a process work with together: the threads that fill and deliver, those that
 * shape, those that flush, and the memory that raw blocks and buffered rows may take. For several
 * threads. Runs end before it is closed.
 */
public final class Lanes implements AutoCloseable {
  /**
   * So many flushes are staged or committed at once; those of a store that hangs are among them.
   */
  private static final int MOST_FLUSHING = 96;

  private static final long KEPT_SECONDS = 5;

  private static final int MOST_MORE = 16;

  private final int threads;
  private final ThreadPoolExecutor shaping;
  private final ExecutorService flushing;
  private final Turns turns = new Turns();
  private int more;
  private final Memory raw;
  private final Memory rows;

  private Lanes(int threads, long rawBytes, long rowBytes) {
    this.threads = threads;
    this.shaping = (ThreadPoolExecutor) Executors.newFixedThreadPool(threads, named("lane"));
    this.flushing =
        new ThreadPoolExecutor(
            0,
            MOST_FLUSHING,
            KEPT_SECONDS,
            TimeUnit.SECONDS,
            new ToIdleThreads(),
            named("flush"),
            (work, pool) -> pool.getQueue().add(work));
    this.raw = new Memory(rawBytes);
    this.rows = new Memory(rowBytes);
  }

  /** Takes in work only for a thread that waits, so that another one is started otherwise. */
  private static final class ToIdleThreads extends LinkedTransferQueue<Runnable> {
    private static final long serialVersionUID = 1;

    @Override
    public boolean offer(Runnable work) {
      return tryTransfer(work);
    }

    @Override
    public boolean add(Runnable work) {
      return super.offer(work); // No more threads may be started: it waits for one.
    }
  }

  /** Lanes as options ask for them. */
  public static Lanes of(RunOptions options) {
    return new Lanes(options.lanes(), options.channelBytes(), options.bufferBytes());
  }

  private static ThreadFactory named(String role) {
    AtomicInteger next = new AtomicInteger();
    return work -> {
      Thread thread = new Thread(work, "wexrun-" + role + "-" + next.getAndIncrement());
      thread.setDaemon(true);
      return thread;
    };
  }

  /** Runs what shapes, as many at a time as there are lanes. */
  ExecutorService shaping() {
    return shaping;
  }

  /** A lane is held by a step that does not end: there is one more, so that the others go on. */
  synchronized void oneMore() {
    more++;
    resize();
  }

  /** The step has ended: there is one lane less again. */
  synchronized void oneLess() {
    more--;
    resize();
  }

  private void resize() {
    int now = threads + Math.min(MOST_MORE, more);
    // A core that is larger than the most is refused, whichever of them is changed first.
    shaping.setCorePoolSize(Math.min(now, shaping.getMaximumPoolSize()));
    shaping.setMaximumPoolSize(now);
    shaping.setCorePoolSize(now);
  }

  /** Runs what stages and commits, many at once. */
  ExecutorService flushing() {
    return flushing;
  }

  /** Runs what fills channels, and what delivers. */
  Turns turns() {
    return turns;
  }

  /** The memory that raw blocks may take, from the intake until their rows are buffered. */
  public Memory raw() {
    return raw;
  }

  /** The memory that rows may take in buffers and flushes. */
  Memory rows() {
    return rows;
  }

  @Override
  public void close() {
    shaping.shutdown();
    flushing.shutdown();
    turns.close();
  }
}
