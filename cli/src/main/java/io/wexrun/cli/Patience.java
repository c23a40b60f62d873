package io.wexrun.cli;

import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;

/** Tells on standard error what goes on, once, if it takes longer than a second. */
final class Patience implements AutoCloseable {
  private final ScheduledExecutorService clock =
      Executors.newSingleThreadScheduledExecutor(
          work -> {
            Thread thread = new Thread(work, "wexrun-patience");
            thread.setDaemon(true);
            return thread;
          });

  /** From now on; what goes on ends when this is closed. */
  Patience(Terminal terminal, String what) {
    clock.schedule(() -> terminal.say(what), 1, TimeUnit.SECONDS);
  }

  @Override
  public void close() {
    clock.shutdownNow();
  }
}
