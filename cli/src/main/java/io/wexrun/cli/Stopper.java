package io.wexrun.cli;

import io.wexrun.project.WorkspaceRun;
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
  private static final List<String> SIGNALS = List.of("INT", "TERM");
  private static final long PATIENCE_SECONDS = 60;

  private final Terminal terminal;
  private final Map<String, SignalHandler> before = new HashMap<>();
  private WorkspaceRun run;
  private boolean asked;
  private boolean done;

  /** Listens from now on, before there is a run: a start takes its time. */
  Stopper(Terminal terminal) {
    this.terminal = terminal;
    for (String signal : SIGNALS) {
      before.put(signal, Signal.handle(new Signal(signal), this::signalled));
    }
  }

  /** The run that a signal stops; at once, if the signal came before. */
  synchronized void watch(WorkspaceRun started) {
    run = started;
    if (asked) {
      run.stop();
    }
  }

  private synchronized void signalled(Signal signal) {
    if (asked) {
      end("stopping at once", 128 + signal.getNumber());
    }
    asked = true;
    terminal.say("stopping: flushing what is held; a second signal ends at once");
    if (run != null) {
      run.stop();
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
