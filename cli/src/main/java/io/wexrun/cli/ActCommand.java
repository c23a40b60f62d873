package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRuns;
import io.wexrun.project.facts.PipelineStatus;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** What the commands share that act on pipelines which run in other processes. */
abstract class ActCommand implements Callable<Integer> {
  private final Terminal terminal;
  private final String act;
  private final String done;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..*",
      paramLabel = "PIPELINE",
      description = "Which pipelines: names, patterns such as 'gate-*', or tag:WORD.")
  private List<String> names = List.of();

  @Option(names = "--all", description = "All pipelines that run.")
  private boolean all;

  /**
   * A command.
   *
   * @param done what is said of each pipeline, such as {@code paused}
   */
  ActCommand(Terminal terminal, String act, String done) {
    this.terminal = terminal;
    this.act = act;
    this.done = done;
  }

  /** Asks the run that has a pipeline. */
  abstract Optional<PipelineStatus> ask(WorkspaceRuns runs, String pipeline);

  @Override
  public Integer call() {
    if (all == !names.isEmpty()) {
      throw new ParameterException(spec.commandLine(), "name pipelines, or write --all");
    }
    try (Workspace workspace = workspaceOption.open()) {
      List<String> running =
          workspace.runs().status().stream().map(PipelineStatus::pipeline).toList();
      List<String> chosen = all ? running : NamesGiven.chosen(workspace, running, names, spec);
      List<String> acted = new ArrayList<>();
      List<String> not = new ArrayList<>();
      for (String name : chosen) {
        boolean known =
            ask(workspace.runs(), name)
                .filter(s -> act.equals("stop") || s.state() != PipelineStatus.State.ENDED)
                .isPresent();
        (known ? acted : not).add(name);
      }
      if (!acted.isEmpty()) {
        String what =
            acted.size() > 3 ? Counted.of(acted.size(), "pipeline") : String.join(", ", acted);
        workspace.history().note(act, what, "");
      }
      if (workspaceOption.json()) {
        terminal.json(Map.of(done, acted, "not-running", not));
      } else {
        acted.forEach(name -> terminal.say(done + " " + name));
        not.forEach(name -> terminal.say(name + " is in no run that goes on"));
        if (chosen.isEmpty()) {
          terminal.say("nothing runs here");
        }
      }
      return not.isEmpty() && !chosen.isEmpty() ? ExitCode.DONE : ExitCode.OUTSIDE;
    }
  }
}
