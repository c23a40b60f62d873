package io.wexrun.core.run;

import java.util.concurrent.ThreadLocalRandom;

/**
 * Waits before something is tried again, twice as long each time, and each time a little more or
 * less, so that many who wait for one thing do not all come back at once. One thread waits; any
 * wakes it for good.
 */
final class Backoff {
  /** The share of a wait by which it may be longer or shorter. */
  private static final double SPREAD = 0.25;

  private final RunOptions.Retry retry;
  private long next;
  private boolean over;

  Backoff(RunOptions.Retry retry) {
    this.retry = retry;
    reset();
  }

  /** Something went well: the next time waits as long as the first. */
  synchronized void reset() {
    next = retry.first().toMillis();
  }

  /** Waits; false if there is no point in trying again, since waiting is over. */
  synchronized boolean pause() throws InterruptedException {
    long wait = (long) (next * ThreadLocalRandom.current().nextDouble(1 - SPREAD, 1 + SPREAD));
    long until = System.nanoTime() + wait * 1_000_000;
    next = Math.min(next * 2, retry.longest().toMillis());
    while (!over && System.nanoTime() < until) {
      wait(Math.max(1, (until - System.nanoTime()) / 1_000_000));
    }
    return !over;
  }

  /** Nobody waits from now on. */
  synchronized void end() {
    over = true;
    notifyAll();
  }
}
