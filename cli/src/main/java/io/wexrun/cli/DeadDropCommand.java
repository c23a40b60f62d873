package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.DeadGroup;
import io.wexrun.project.facts.ReplayFacts;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "drop",
    mixinStandardHelpOptions = true,
    description =
        "Give dead letters up: all, or those that are chosen. They are in the books as "
            + "dropped then, and the history says who gave them up, and why. Without --yes "
            + "nothing is changed.",
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 no such pipeline or "
          + "reason; 3 the pipeline is held by another process.",
      "",
      "Example: wexrun dead drop gate-load --reason no-match --why tests"
    })
final class DeadDropCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Mixin private DeadFilterOption filterOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "PIPELINE", description = "Whose letters.")
  private String pipeline;

  @Option(
      names = "--why",
      required = true,
      paramLabel = "TEXT",
      description = "Why they are given up, for the history.")
  private String why;

  @Option(names = "--yes", description = "Do it, not only say what would be done.")
  private boolean yes;

  DeadDropCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    DeadFilter filter = filterOption.filter();
    if (why.isBlank()) {
      throw new ParameterException(spec.commandLine(), "--why is empty: say why, in a few words");
    }
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      NamesGiven.pipelines(workspace, pipeline, spec);
      if (!yes) {
        return say(workspace, filter);
      }
      Optional<ReplayFacts> chosen = workspace.replays().giveUp(pipeline, filter, why);
      ReplayView view = new ReplayView(workspace, pipeline, terminal, workspaceOption.json());
      if (chosen.isEmpty() && view.open().isEmpty()) {
        DeadCommand.sayNone(filter, terminal);
        return ExitCode.DONE;
      }
      return view.doAndShow();
    }
  }

  private int say(Workspace workspace, DeadFilter filter) {
    List<DeadGroup> groups = workspace.dead().groups(pipeline, filter);
    long letters = groups.stream().mapToLong(DeadGroup::count).sum();
    if (workspaceOption.json()) {
      terminal.json(Map.of("letters", letters));
    } else if (letters == 0) {
      DeadCommand.sayNone(filter, terminal);
    } else {
      terminal.say(
          Counted.of(letters, "dead letter")
              + " would be given up; nothing was changed: --yes does it");
    }
    return ExitCode.DONE;
  }
}
