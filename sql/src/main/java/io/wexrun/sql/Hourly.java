package io.wexrun.sql;

import java.util.concurrent.TimeUnit;

/** Something that is done once an hour, and at once for the first time. For several threads. */
public final class Hourly {
  private static final long HOUR = TimeUnit.HOURS.toNanos(1);

  private long last = System.nanoTime() - HOUR - 1;

  /** Whether it is to be done now; then not again for an hour. */
  public synchronized boolean due() {
    long now = System.nanoTime();
    boolean due = now - last > HOUR;
    last = due ? now : last;
    return due;
  }
}
