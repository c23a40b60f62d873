package io.wexrun.core.run;

import java.util.concurrent.ThreadLocalRandom;

/**
 * How long to wait before something that failed is tried again: twice as long each time, and each
 * time a little more or less, so that many who wait for one thing do not all come back at once. For
 * one thread at a time.
 */
final class Backoff {
  /** The share of a wait by which it may be longer or shorter. */
  private static final double SPREAD = 0.25;

  private final RunOptions.Retry retry;
  private long next;
  private long until = System.nanoTime();

  Backoff(RunOptions.Retry retry) {
    this.retry = retry;
    reset();
  }

  /** Something went well: the next wait is as long as the first. */
  void reset() {
    next = retry.first().toMillis();
  }

  /** It has failed, and must wait now. */
  void begin() {
    long wait = (long) (next * ThreadLocalRandom.current().nextDouble(1 - SPREAD, 1 + SPREAD));
    until = System.nanoTime() + wait * 1_000_000;
    next = Math.min(next * 2, retry.longest().toMillis());
  }

  /** It is tried at once, and the next wait is as long as the first. */
  void end() {
    reset();
    until = System.nanoTime();
  }

  /** How many milliseconds there are left to wait; 0 if none. */
  long left() {
    long nanos = until - System.nanoTime();
    return nanos <= 0 ? 0 : Math.max(1, nanos / 1_000_000);
  }
}
