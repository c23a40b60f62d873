package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "run",
    mixinStandardHelpOptions = true,
    description = {
      "Run pipelines until interrupted, or with --once until everything there is taken.",
      "While a store or a disk fails, a run waits, says so, and tries again; with --once it ends.",
      "Ctrl-C or SIGTERM ends a run: what is held is flushed and accounted for first."
    },
    footer = {
      "",
      "Exit codes: 0 drained, or ended by a signal after flushing; 1 the workspace has mistakes;",
      "  2 no such pipeline; 3 the outside world failed; 4 the books do not balance.",
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
      description = "Which pipelines; without a name, all.")
  private List<String> pipelines = List.of();

  @Option(names = "--once", description = "Take what is there, then stop.")
  private boolean once;

  @Option(
      names = "--lanes",
      paramLabel = "N",
      description = "How many threads shape, for all pipelines; without it, one for each core.")
  private int lanes;

  @Option(
      names = "--strict",
      description = "End at the first failure, instead of waiting and trying again.")
  private boolean strict;

  RunCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      for (String name : pipelines) {
        NamesGiven.pipelines(workspace, name, spec);
      }
      if (workspace.definition().pipelines().isEmpty()) {
        terminal.say("there is no pipeline to run: pipelines stand in pipelines/*.yaml");
      }
      RunOptions options = RunOptions.untilDrained(once);
      options = lanes > 0 ? options.withLanes(lanes) : options;
      options = strict ? options.strictly() : options;
      return run(workspace, options);
    }
  }

  private int run(Workspace workspace, RunOptions options) throws InterruptedException {
    Map<String, Long> before = Watch.taken(workspace);
    Stopper stopper = new Stopper(terminal);
    Watch watch = new Watch(terminal);
    try (WorkspaceRun run = workspace.run(options, watch, pipelines.toArray(String[]::new))) {
      stopper.watch(run);
      watch.over(run);
    } finally {
      stopper.done();
    }
    List<Tally> tallies = workspace.tally();
    if (workspaceOption.json()) {
      terminal.json(Map.of("taken", Watch.since(before, workspace)));
    } else {
      Watch.since(before, workspace)
          .forEach((name, taken) -> terminal.say(name + ": " + Counted.number(taken) + " taken"));
      TallyCommand.show(tallies, terminal);
      tallies.stream()
          .filter(t -> t.counts().allDead() * 2 > t.counts().taken())
          .forEach(
              t ->
                  terminal.say(
                      "most records of "
                          + t.pipeline()
                          + " died: 'wexrun dead "
                          + t.pipeline()
                          + "' says why"));
    }
    return tallies.stream().allMatch(Tally::balanced) ? ExitCode.DONE : ExitCode.UNBALANCED;
  }
}
