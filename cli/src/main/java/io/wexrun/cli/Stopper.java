package io.wexrun.cli;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import sun.misc.Signal;
import sun.misc.SignalHandler;

/**
 * Turns the end of the process by a signal into an orderly stop: the intakes end, what is shaped is
 * flushed and accounted for, the command writes its books, and the process ends with its exit code.
 * A second signal ends the process at once, and so does a stop that takes too long; nothing is lost
 * by that, since the next run takes again what is not in the books.
 */
final class Stopper {
  /** What is told when a run is stopped. */
  static final String FLUSHING = "stopping: flushing what is held; a second signal ends at once";

  private static final List<String> SIGNALS = List.of("INT", "TERM");
  private static final long PATIENCE_SECONDS = 60;

  private final Terminal terminal;
  private final Map<String, SignalHandler> before = new HashMap<>();
  private final String says;
  private Runnable stop;
  private boolean asked;
  private boolean done;

  /**
   * Listens from now on, before there is something to stop: a start takes its time.
   *
   * @param says what the user is told when a signal comes
   */
  Stopper(Terminal terminal, String says) {
    this.terminal = terminal;
    this.says = says;
    for (String signal : SIGNALS) {
      before.put(signal, Signal.handle(new Signal(signal), this::signalled));
    }
  }

  /** What a signal does; at once, if the signal came before. */
  synchronized void watch(Runnable stops) {
    stop = stops;
    if (asked) {
      stop.run();
    }
  }

  private synchronized void signalled(Signal signal) {
    if (asked) {
      end("stopping at once", 128 + signal.getNumber());
    }
    asked = true;
    terminal.say(says);
    if (stop != null) {
      stop.run();
    }
    Thread impatient = new Thread(() -> endAfterPatience(signal), "wexrun-stop");
    impatient.setDaemon(true);
    impatient.start();
  }

  private synchronized void endAfterPatience(Signal signal) {
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(PATIENCE_SECONDS);
    try {
      while (!done && System.nanoTime() < until) {
        wait(100);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return;
    }
    if (!done) {
      end("not everything was flushed in time", 128 + signal.getNumber());
    }
  }

  private void end(String why, int code) {
    terminal.say(why + "; the next run takes again what is not in the books");
    Runtime.getRuntime().halt(code);
  }

  /** The run has ended: a signal from now on does what it did before. */
  synchronized void done() {
    done = true;
    notifyAll();
    before.forEach((signal, handler) -> Signal.handle(new Signal(signal), handler));
  }
}
