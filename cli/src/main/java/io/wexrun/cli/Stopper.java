package io.wexrun.cli;

import io.wexrun.project.WorkspaceRun;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;

/**
 * Turns the end of the process by a signal into an orderly stop: the intakes end, what is held is
 * flushed and accounted for, the command writes its books, and the process ends with its exit code.
 */
final class Stopper {
  /** How long a stop may take before the process ends all the same; nothing is lost by that. */
  private static final long PATIENCE_SECONDS = 120;

  private final Terminal terminal;
  private final Thread hook = new Thread(this::stop, "wexrun-stop");
  private WorkspaceRun run;
  private boolean asked;

  /** Listens from now on, before there is a run: a start takes its time. */
  Stopper(Terminal terminal) {
    this.terminal = terminal;
    Runtime.getRuntime().addShutdownHook(hook);
  }

  /** The run that a signal stops; at once, if the signal came before. */
  synchronized void watch(WorkspaceRun started) {
    run = started;
    if (asked) {
      run.stop();
    }
  }

  private synchronized void ask() {
    asked = true;
    if (run != null) {
      run.stop();
    }
  }

  private void stop() {
    terminal.say("stopping: flushing what is held");
    ask();
    try {
      // Ending by a signal has an exit code of its own; the command's is the true one.
      int code = terminal.exitCode().get(PATIENCE_SECONDS, TimeUnit.SECONDS);
      Runtime.getRuntime().halt(code);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (ExecutionException | TimeoutException e) {
      terminal.say("not everything was flushed in time; the next run takes it again");
    }
  }

  /** The run has ended by itself: a signal from now on ends the process at once. */
  void done() {
    try {
      Runtime.getRuntime().removeShutdownHook(hook);
    } catch (IllegalStateException alreadyEnding) {
      // The process is being ended by a signal, and the hook waits for the exit code.
      return;
    }
  }
}
