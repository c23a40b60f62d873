package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "delete",
    mixinStandardHelpOptions = true,
    description = {
      "Remove a queue with all its records.",
      "A pipeline that reads it would then stop: its tally goes on at a position that is gone."
    },
    footer = {
      "",
      "Exit codes: 0 removed, or there was none; 2 no such queue, or --yes is missing; 3 it is"
          + " held",
      "  by another process.",
      "",
      "Example: wexrun queue delete dead/gate-intake --yes"
    })
final class QueueDeleteCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  @Option(names = "--yes", description = "Yes, all its records.")
  private boolean yes;

  QueueDeleteCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().names(), spec);
      if (!yes) {
        throw new ParameterException(
            spec.commandLine(),
            "this removes all records of queue " + name + ": say so with --yes");
      }
      long records = workspace.queues().delete(name);
      if (workspaceOption.json()) {
        terminal.json(java.util.Map.of("removed", records));
      } else {
        terminal.say("queue " + name + " is removed, with " + Counted.of(records, "record"));
      }
      return ExitCode.DONE;
    }
  }
}
