package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.Work;
import io.wexrun.core.tally.Tally;
import io.wexrun.network.door.Address;
import io.wexrun.network.http.Pages;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import io.wexrun.project.facts.PlannedFile;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.concurrent.atomic.AtomicReference;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "run",
    mixinStandardHelpOptions = true,
    description = {
      "Run pipelines until interrupted, or with --once until everything there is taken.",
      "A pipeline that fails, or whose store, queue or file is not there yet, says so and is"
          + " started",
      "again after a while; the others go on. With --once it ends, and the others are drained.",
      "Ctrl-C or SIGTERM ends a run: what is shaped is flushed and accounted for first, the rest"
          + " is left to the next run. A second one ends it at once; nothing is lost by that."
    },
    footer = {
      "",
      "Exit codes: 0 drained, or ended by a signal after flushing; 1 the workspace has mistakes;",
      "  2 no such pipeline; 3 the outside world failed; 4 the books do not balance.",
      "",
      "A part of an archive, in the demo:",
      "  wexrun run gate-history --where 'depot == \"north\"' --preview",
      "",
      "Example: wexrun run --once --workspace tram-demo gate-intake gate-load"
    })
final class RunCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..*",
      paramLabel = "PIPELINE",
      description =
          "Which pipelines: names, patterns such as 'gate-*', or tag:WORD; without one, all.")
  private List<String> pipelines = List.of();

  @Option(names = "--once", description = "Take what is there, then stop.")
  private boolean once;

  @Option(
      names = "--lanes",
      paramLabel = "N",
      description = "How many threads shape, for all pipelines; without it, one for each core.")
  private int lanes;

  @Option(
      names = "--where",
      paramLabel = "CONDITION",
      description =
          "Take only files whose path fits: a condition in CEL on the values that the intake's"
              + " pattern names. No other file is opened.")
  private String where;

  @Option(
      names = "--again",
      paramLabel = "LABEL",
      description =
          "Take files of a drop folder or an archive again that were taken before. The same label"
              + " again takes nothing twice, so that a run may be repeated.")
  private String again;

  @Option(
      names = "--preview",
      description = "Only say which files would be taken, and how large they are; opens none.")
  private boolean preview;

  @Option(
      names = "--as-new",
      description =
          "Begin a pipeline anew that seems to be renamed, instead of refusing it: it loads"
              + " everything again.")
  private boolean asNew;

  @Option(
      names = "--strict",
      description = "End all pipelines at the first failure, instead of waiting and trying again.")
  private boolean strict;

  @Option(
      names = "--verbose",
      description = "Show at the end what each step did, and how long it took.")
  private boolean verbose;

  @Option(
      names = "--slow-flush",
      paramLabel = "TIME",
      defaultValue = "1m",
      description = "Tell of a flush that has not ended after this time (${DEFAULT-VALUE}).")
  private String slow;

  @Option(
      names = "--figures",
      paramLabel = "ADDRESS",
      description =
          "Show figures as OpenMetrics text at http://ADDRESS/metrics, and at /alive and /ready"
              + " whether the run is. A port of this machine, or HOST:PORT, which wants a token.")
  private String figures;

  @Option(
      names = "--log",
      paramLabel = "FORM",
      defaultValue = "text",
      description = "How events are written: text, or json with an object a line.")
  private String log;

  @Option(
      names = "--log-file",
      paramLabel = "FILE",
      description =
          "Write events there instead of to standard error; rotated at 10 MB, five are kept.")
  private Path logFile;

  RunCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      pipelines = pipelines.isEmpty() ? pipelines : NamesGiven.chosen(workspace, pipelines, spec);
      if (workspace.definition().pipelines().isEmpty()) {
        terminal.say("there is no pipeline to run: pipelines stand in pipelines/*.yaml");
      }
      Choice choice = new Choice(Optional.ofNullable(where), Optional.ofNullable(again));
      if (preview) {
        return preview(workspace, choice);
      }
      RunOptions options = RunOptions.untilDrained(once).withChoice(choice);
      options = lanes > 0 ? options.withLanes(lanes) : options;
      options = strict ? options.strictly() : options;
      options = asNew ? options.withAsNew() : options;
      Optional<Duration> patience = Sizes.duration(slow).filter(d -> !d.isZero());
      if (patience.isEmpty()) {
        throw new ParameterException(spec.commandLine(), "--slow-flush is a time such as 30s");
      }
      options = options.withSlow(patience.get());
      return run(workspace, options);
    }
  }

  private int preview(Workspace workspace, Choice choice) {
    List<String> names =
        pipelines.isEmpty()
            ? workspace.definition().pipelines().stream()
                .map(Pipeline::name)
                .filter(workspace::plans)
                .toList()
            : pipelines;
    if (names.isEmpty()) {
      terminal.say("no pipeline takes files, of which could be said before what it takes");
    }
    Map<String, Object> facts = new LinkedHashMap<>();
    for (String name : names) {
      List<PlannedFile> files = workspace.plan(name, choice);
      if (workspaceOption.json()) {
        facts.put(name, Preview.facts(files));
      } else {
        new Preview(terminal).show(name, files);
      }
    }
    if (workspaceOption.json()) {
      terminal.json(facts);
    }
    return ExitCode.DONE;
  }

  private int run(Workspace workspace, RunOptions options) throws InterruptedException {
    if (!log.equals("text") && !log.equals("json")) {
      throw new ParameterException(spec.commandLine(), "--log is text or json");
    }
    Optional<Address> address = Optional.ofNullable(figures).flatMap(Address::read);
    if (figures != null && address.isEmpty()) {
      throw new ParameterException(
          spec.commandLine(),
          "'" + figures + "' is not an address: --figures is a port, or HOST:PORT");
    }
    Map<String, Tally> before = Watch.books(workspace);
    Stopper stopper = new Stopper(terminal, Stopper.FLUSHING);
    AtomicReference<WorkspaceRun> running = new AtomicReference<>();
    boolean ended = false;
    Map<String, Work> work = new LinkedHashMap<>();
    boolean live = !once && log.equals("text") && terminal.isScreen();
    try (RunLog events =
            new RunLog(
                terminal,
                log.equals("json"),
                Optional.ofNullable(logFile).map(terminal::at),
                live);
        Pages pages = address.map(at -> pages(at, workspace, running)).orElse(null)) {
      Watch watch =
          new Watch(terminal, events, live || log.equals("json") || logFile != null, once);
      try (WorkspaceRun run = workspace.run(options, watch, pipelines.toArray(String[]::new))) {
        running.set(run);
        events.event("started", "running " + String.join(", ", run.progress().keySet()));
        try (ServiceNotice service =
            ServiceNotice.open(System.getenv(), terminal, run::status).orElse(null)) {
          stopper.watch(
              () -> {
                run.stop();
                if (service != null) {
                  service.stopping();
                }
              });
          if (live) {
            live(workspace, run);
          }
          watch.over(run);
        }
        run.status().forEach(each -> work.put(each.pipeline(), each.work()));
        ended = true;
      } finally {
        events.event("ended", ended ? "all pipelines have ended" : "the run has failed");
      }
    } finally {
      stopper.done();
      if (!ended) {
        showAfterFailure(workspace, before);
      }
    }
    List<Tally> tallies = ran(workspace);
    if (workspaceOption.json()) {
      Map<String, Long> taken = new LinkedHashMap<>();
      tallies.forEach(t -> taken.put(t.pipeline(), since(before, t).taken()));
      Map<String, Object> facts = new LinkedHashMap<>();
      work.forEach((name, done) -> facts.put(name, WorkView.facts(done)));
      terminal.json("taken", taken, "work", facts);
    } else {
      tallies.forEach(t -> say(t, since(before, t), work.getOrDefault(t.pipeline(), Work.NONE)));
      TallyCommand.show(tallies, workspace, terminal);
      tallies.stream().filter(t -> mostDied(before, t)).forEach(this::sayThatMostDied);
      TallyCommand.tellPutAside(workspace, terminal);
    }
    return tallies.stream().allMatch(Tally::balanced) ? ExitCode.DONE : ExitCode.UNBALANCED;
  }

  private void say(Tally tally, Since since, Work work) {
    String what = tally.pipeline() + ": " + Counted.number(since.taken()) + " taken";
    boolean did = since.taken() > 0;
    terminal.say(what + WorkView.summary(work).filter(s -> did).map(s -> "; " + s).orElse(""));
    if (verbose && did) {
      WorkView.show(tally.pipeline(), work, terminal);
    }
  }

  /** Shows the run on the whole screen until it has ended. */
  private void live(Workspace workspace, WorkspaceRun run) throws InterruptedException {
    Optional<LiveView> view = LiveView.open(workspace, terminal.isPlain());
    if (view.isEmpty()) {
      return;
    }
    try (LiveView open = view.get()) {
      open.over(run);
    } catch (IOException e) {
      terminal.say("the keys cannot be read any more: " + e.getMessage());
    }
  }

  private Pages pages(Address at, Workspace workspace, AtomicReference<WorkspaceRun> running) {
    Pages pages =
        RunPages.open(
            at, workspace, () -> running.get() == null ? List.of() : running.get().status());
    terminal.say("figures at http://" + at.host() + ":" + pages.port() + "/metrics");
    return pages;
  }

  /** The books of the pipelines that ran. */
  private List<Tally> ran(Workspace workspace) {
    return workspace.tally().stream()
        .filter(
            t ->
                pipelines.isEmpty()
                    ? workspace.definition().pipeline(t.pipeline()).isPresent()
                    : pipelines.contains(t.pipeline()))
        .toList();
  }

  private static Since since(Map<String, Tally> before, Tally now) {
    Tally then = before.get(now.pipeline());
    long taken = now.counts().taken() - (then == null ? 0 : then.counts().taken());
    long dead = now.counts().allDead() - (then == null ? 0 : then.counts().allDead());
    return new Since(taken, dead);
  }

  /** What one run did. */
  private record Since(long taken, long dead) {}

  private static boolean mostDied(Map<String, Tally> before, Tally now) {
    Since since = since(before, now);
    return since.dead() > 0 && since.dead() * 2 > since.taken();
  }

  private void sayThatMostDied(Tally tally) {
    terminal.say(
        "most records of "
            + tally.pipeline()
            + " died: 'wexrun dead "
            + tally.pipeline()
            + "' says why");
  }

  /** What was committed before a failure is in the books, so they are shown. */
  private void showAfterFailure(Workspace workspace, Map<String, Tally> before) {
    try {
      List<Tally> tallies = ran(workspace);
      boolean changed = tallies.stream().anyMatch(t -> since(before, t).taken() > 0);
      if (changed && !workspaceOption.json()) {
        TallyCommand.showTable(tallies, workspace, terminal);
        terminal.flush();
      }
    } catch (RuntimeException e) {
      terminal.say("the books cannot be read now: " + e.getMessage());
    }
  }
}
