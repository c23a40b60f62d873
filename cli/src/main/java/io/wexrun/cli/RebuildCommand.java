package io.wexrun.cli;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRebuilds;
import io.wexrun.project.WorkspaceRebuilds.From;
import io.wexrun.project.facts.RebuildFacts;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "rebuild",
    mixinStandardHelpOptions = true,
    description =
        "Run a pipeline again, as its files say it now, over what its source still has, "
            + "into tables beside those that it loads; it goes on loading those meanwhile. "
            + "Then compare the two, and put the new ones in the places of the others. Until "
            + "then nothing has changed for who reads the tables. A rebuild that was stopped "
            + "or killed is gone on with by the same command.",
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 no such pipeline, or a "
          + "wrong option; 3 it cannot be built again, or a store is held by another "
          + "process, or something else failed: what is done stays done.",
      "",
      "Example: wexrun rebuild --history"
    })
final class RebuildCommand implements Callable<Integer> {
  private static final long TELL_NANOS = 1_000_000_000;

  private final Terminal terminal;
  private long told = System.nanoTime();
  private long percent;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "PIPELINE",
      description = "Which one; without it, --history shows the rebuilds of all.")
  private String pipeline;

  @Option(
      names = "--from",
      paramLabel = "FROM",
      description =
          "Begin at 'oldest' (what the source still has; so without this), at a time such as "
              + "2026-11-20T00:00:00Z (of queues), or at SOURCE@POSITION (may be given "
              + "more than once). Rows of earlier records are taken over as they are.")
  private List<String> from = List.of();

  @Option(
      names = "--leave-out-older",
      description =
          "Build without rows of earlier records where they cannot be taken over: their table "
              + "has no 'origin: true'.")
  private boolean leaveOut;

  @ArgGroup private Deed deed = new Deed();

  /** One of what can be done instead of running it. */
  static final class Deed {
    @Option(
        names = "--compare",
        description = "Show how the new tables differ from the others; changes nothing.")
    boolean compare;

    @Option(
        names = "--swap",
        description =
            "Put the new tables, with their books and dead letters, in the places of the "
                + "others, which are kept under names that say when.")
    boolean swap;

    @Option(names = "--discard", description = "Give the rebuild up, and drop what was built.")
    boolean discard;

    @Option(
        names = "--drop-old",
        description = "Drop the tables of before the last swap, for good.")
    boolean dropOld;

    @Option(names = "--history", description = "Show what was built again so far.")
    boolean history;
  }

  RebuildCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    From start = start();
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      if (deed.history) {
        return history(workspace);
      }
      if (pipeline == null) {
        throw new ParameterException(spec.commandLine(), "say which one: name a pipeline");
      }
      NamesGiven.pipelines(workspace, pipeline, spec);
      if (deed.compare) {
        return compare(workspace);
      }
      if (deed.swap) {
        return swap(workspace);
      }
      if (deed.discard) {
        RebuildFacts open = open(workspace);
        workspace.rebuilds().discard(open, RunOptions.untilDrained(true));
        return said(workspace, "rebuild " + open.number() + " is given up; its tables are dropped");
      }
      return deed.dropOld ? dropOld(workspace) : build(workspace, start);
    }
  }

  private From start() {
    Map<String, Long> positions = new HashMap<>();
    Optional<Instant> time = Optional.empty();
    for (String each : from) {
      int at = each.lastIndexOf('@');
      if (at > 0) {
        positions.put(each.substring(0, at), position(each, each.substring(at + 1)));
      } else if (!each.equals("oldest")) {
        time = Optional.of(time(each));
      }
    }
    if (!from.isEmpty() && (deed.compare || deed.swap || deed.discard || deed.dropOld)) {
      throw new ParameterException(
          spec.commandLine(), "--from is for the begin of a rebuild, without --compare and others");
    }
    return new From(time, positions);
  }

  private long position(String given, String digits) {
    try {
      long position = Long.parseLong(digits);
      if (position >= 0) {
        return position;
      }
    } catch (NumberFormatException e) {
      // Told below.
    }
    throw new ParameterException(
        spec.commandLine(), "'" + given + "': behind @ stands a position, a number from 0");
  }

  private Instant time(String given) {
    try {
      return Instant.parse(given);
    } catch (DateTimeException e) {
      throw new ParameterException(
          spec.commandLine(),
          "'"
              + given
              + "' is not a begin: write oldest, a time such as 2026-11-20T00:00:00Z, or"
              + " SOURCE@POSITION");
    }
  }

  private RebuildFacts open(Workspace workspace) {
    return workspace
        .rebuilds()
        .open(pipeline)
        .orElseThrow(
            () ->
                new OutsideException(
                    "no rebuild of pipeline "
                        + pipeline
                        + " is under way: 'wexrun rebuild "
                        + pipeline
                        + "' begins one"));
  }

  private Optional<RebuildFacts> last(Workspace workspace, String state) {
    List<RebuildFacts> all = workspace.rebuilds().all(pipeline);
    return all.stream().filter(each -> each.state().equals(state)).reduce((a, b) -> b);
  }

  private int said(Workspace workspace, String text) {
    if (workspaceOption.json()) {
      List<RebuildFacts> all = workspace.rebuilds().all(pipeline);
      terminal.json(Map.of("rebuild", RebuildView.facts(all.get(all.size() - 1))));
    } else {
      terminal.say(text);
    }
    return ExitCode.DONE;
  }

  private int build(Workspace workspace, From start) throws InterruptedException {
    WorkspaceRebuilds rebuilds = workspace.rebuilds();
    if (last(workspace, "mending").isPresent()) {
      return swap(workspace);
    }
    Optional<RebuildFacts> open = rebuilds.open(pipeline);
    if (open.isPresent() && !from.isEmpty()) {
      throw new OutsideException(
          "rebuild "
              + open.get().number()
              + " has begun, and keeps its begin: go on without --from, or give it up with"
              + " --discard");
    }
    open.ifPresent(each -> terminal.say("rebuild " + each.number() + " is gone on with"));
    RebuildFacts rebuild =
        open.isPresent() ? open.get() : rebuilds.begin(pipeline, start, leaveOut);
    rebuilds.catchUp(rebuild, RunOptions.untilDrained(true), this::tell);
    RebuildFacts done = open(workspace);
    if (workspaceOption.json()) {
      terminal.json(Map.of("rebuild", RebuildView.facts(done)));
    } else {
      new RebuildView(terminal).show(done);
    }
    return ExitCode.DONE;
  }

  private void tell(WorkspaceRebuilds rebuilds) {
    if (System.nanoTime() - told < TELL_NANOS) {
      return;
    }
    told = System.nanoTime();
    long now = Math.round(100 * rebuilds.share(pipeline).orElse(0));
    if (now > percent && (now < 100 || percent > 0)) {
      percent = now;
      terminal.say(percent + " % done");
    }
  }

  private int compare(Workspace workspace) {
    RebuildFacts rebuild =
        workspace
            .rebuilds()
            .open(pipeline)
            .or(() -> last(workspace, "mending"))
            .or(() -> last(workspace, "swapped"))
            .orElseGet(() -> open(workspace));
    new RebuildView(terminal)
        .compare(workspace.rebuilds().compare(rebuild), workspaceOption.json());
    return ExitCode.DONE;
  }

  private int swap(Workspace workspace) throws InterruptedException {
    RebuildFacts rebuild = last(workspace, "mending").orElseGet(() -> open(workspace));
    workspace.rebuilds().swap(rebuild, RunOptions.untilDrained(true), this::tell);
    RebuildFacts done =
        workspace.rebuilds().all(pipeline).stream()
            .filter(each -> each.number() == rebuild.number())
            .findFirst()
            .orElseThrow();
    if (workspaceOption.json()) {
      terminal.json(Map.of("rebuild", RebuildView.facts(done)));
    } else {
      new RebuildView(terminal).swapped(done);
    }
    return ExitCode.DONE;
  }

  private int dropOld(Workspace workspace) throws InterruptedException {
    RebuildFacts rebuild =
        last(workspace, "swapped")
            .orElseThrow(
                () ->
                    new OutsideException(
                        "pipeline " + pipeline + " has no tables of before a swap any more"));
    workspace.rebuilds().clear(rebuild, RunOptions.untilDrained(true));
    return said(
        workspace,
        rebuild.tables().stream()
                .map(table -> table.kept().orElseThrow())
                .collect(Collectors.joining(", "))
            + (rebuild.tables().size() == 1 ? " is" : " are")
            + " dropped");
  }

  private int history(Workspace workspace) {
    if (pipeline != null) {
      NamesGiven.known("pipeline", pipeline, workspace.pipelineNames(), spec);
    }
    List<String> names = pipeline == null ? workspace.pipelineNames() : List.of(pipeline);
    List<RebuildFacts> all =
        names.stream().flatMap(name -> workspace.rebuilds().all(name).stream()).toList();
    if (workspaceOption.json()) {
      terminal.json(Map.of("rebuilds", all.stream().map(RebuildView::facts).toList()));
      return ExitCode.DONE;
    }
    if (all.isEmpty()) {
      terminal.say("nothing was built again yet");
      return ExitCode.DONE;
    }
    List<List<String>> rows = new ArrayList<>();
    for (RebuildFacts each : all) {
      rows.add(
          List.of(
              Long.toString(each.number()),
              each.pipeline(),
              each.state(),
              each.begun().truncatedTo(ChronoUnit.SECONDS).toString(),
              each.by(),
              each.swapped().map(t -> t.truncatedTo(ChronoUnit.SECONDS).toString()).orElse(""),
              each.tables().stream()
                  .map(RebuildFacts.Shadow::name)
                  .collect(Collectors.joining(", ")),
              kept(each)));
    }
    terminal.table(
        List.of("no", "pipeline", "state", "begun", "by", "swapped", "tables", "kept"),
        List.of(true, false, false, false, false, false, false, false),
        rows);
    return ExitCode.DONE;
  }

  private static String kept(RebuildFacts rebuild) {
    return rebuild.state().equals("swapped") || rebuild.state().equals("mending")
        ? rebuild.tables().stream()
            .flatMap(table -> table.kept().stream())
            .collect(Collectors.joining(", "))
        : "";
  }
}
