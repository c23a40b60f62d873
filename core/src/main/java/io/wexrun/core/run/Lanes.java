package io.wexrun.core.run;

import io.wexrun.core.channel.Memory;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ThreadFactory;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * What all pipelines of a process work with together: the threads that shape, those that flush, and
 * the memory that raw blocks and buffered rows may take. For several threads. Runs end before it is
 * closed.
 */
public final class Lanes implements AutoCloseable {
  private final ExecutorService shaping;
  private final ExecutorService flushing;
  private final Memory raw;
  private final Memory rows;

  private Lanes(int threads, long rawBytes, long rowBytes) {
    this.shaping = Executors.newFixedThreadPool(threads, named("lane"));
    this.flushing = Executors.newCachedThreadPool(named("flush"));
    this.raw = new Memory(rawBytes);
    this.rows = new Memory(rowBytes);
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

  /** Runs what stages and commits; each on a thread of its own if need be. */
  ExecutorService flushing() {
    return flushing;
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
  }
}
