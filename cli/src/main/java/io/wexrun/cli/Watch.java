package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.Progress;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import io.wexrun.project.facts.PipelineStatus;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Shows how a run gets on, until it ends: in place on a terminal, else a line now and then. */
final class Watch implements RunListener {
  private static final long TERMINAL_MILLIS = 200;
  private static final long PIPED_MILLIS = 10_000;

  private final Terminal terminal;
  private final RunLog log;
  private final boolean quiet;
  private final boolean once;
  private final long start = System.nanoTime();
  private int linesShown;

  Watch(Terminal terminal) {
    this(terminal, new RunLog(terminal, false, Optional.empty(), false), false, true);
  }

  /**
   * A watch.
   *
   * @param log is told what happens
   * @param quiet whether only the log says something
   * @param once whether the run ends when drained, so that it can be said how far it is
   */
  Watch(Terminal terminal, RunLog log, boolean quiet, boolean once) {
    this.terminal = terminal;
    this.log = log;
    this.quiet = quiet;
    this.once = once;
  }

  @Override
  public synchronized void told(Notice notice) {
    log.told(notice);
    linesShown = 0;
  }

  @Override
  public synchronized void ended(String pipeline, Optional<Throwable> failure) {
    if (quiet) {
      log.ended(pipeline, failure);
    }
  }

  /** Watches until all pipelines have ended; throws what made one fail. */
  void over(WorkspaceRun run) throws InterruptedException {
    long every = terminal.errIsTerminal() ? TERMINAL_MILLIS : PIPED_MILLIS;
    Thread waiter = new Thread(() -> quietly(run), "wexrun-await");
    waiter.start();
    while (waiter.isAlive()) {
      waiter.join(every);
      if (!quiet && (waiter.isAlive() || terminal.errIsTerminal())) {
        show(run);
      }
    }
    run.await();
  }

  /** Waits for the end; whatever it is, {@link #over} asks for it again. */
  private static void quietly(WorkspaceRun run) {
    try {
      run.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (RuntimeException e) {
      // Told by the second await.
      return;
    }
  }

  private synchronized void show(WorkspaceRun run) {
    List<PipelineStatus> all = run.status();
    double seconds = (System.nanoTime() - start) / 1e9;
    StringBuilder text = new StringBuilder();
    if (terminal.errIsTerminal() && linesShown > 0) {
      text.append(SafeStream.ESCAPE).append('[').append(linesShown).append('A');
    }
    int width = all.stream().mapToInt(s -> s.pipeline().length()).max().orElse(0);
    all.forEach(
        each -> {
          Progress p = each.progress();
          text.append(
              String.format(
                  "%-" + width + "s  taken %s  loaded %s  dead %s  held %s  %s/s%s",
                  each.pipeline(),
                  Counted.number(p.taken()),
                  Counted.number(p.loaded()),
                  Counted.number(p.dead()),
                  Counted.number(p.held()),
                  Counted.number(Math.round(p.taken() / Math.max(seconds, 0.001))),
                  far(each, seconds)));
          text.append(terminal.errIsTerminal() ? SafeStream.ESCAPE + "[K\n" : "\n");
        });
    linesShown = all.size();
    terminal.err.print(text);
    terminal.err.flush();
  }

  /** How far a pipeline is, and how far behind its source. */
  private String far(PipelineStatus each, double seconds) {
    Duration since = Duration.ofMillis((long) (seconds * 1000));
    return once
        ? WorkView.progress(each.situation(), since).map(text -> "  " + text).orElse("")
        : WorkView.behind(each.situation()).map(text -> "  behind " + text).orElse("");
  }

  /** How many records all pipelines have taken by their books. */
  static long taken(Workspace workspace) {
    return workspace.tally().stream().mapToLong(t -> t.counts().taken()).sum();
  }

  /** The books of all pipelines, by name. */
  static Map<String, Tally> books(Workspace workspace) {
    Map<String, Tally> books = new LinkedHashMap<>();
    workspace.tally().forEach(t -> books.put(t.pipeline(), t));
    return books;
  }
}
