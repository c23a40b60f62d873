package io.wexrun.cli;

import io.wexrun.project.Workspace;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "create",
    mixinStandardHelpOptions = true,
    description = {
      "Make a queue as wexrun.yaml defines it, before anything is appended.",
      "Whoever appends first makes it too; this shows at once whether it can be made, and with how",
      "many partitions. A queue that is there stays as it is."
    },
    footer = {
      "",
      "Exit codes: 0 it is there; 2 wexrun.yaml has no such queue; 3 it cannot be made.",
      "",
      "Example: wexrun queue create gate-events"
    })
final class QueueCreateCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  QueueCreateCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().names(), spec);
      boolean made = workspace.queues().create(name);
      int partitions = workspace.queues().open(name).partitions();
      if (workspaceOption.json()) {
        terminal.json("made", made, "partitions", partitions);
      } else {
        terminal.say(
            "queue "
                + name
                + (made ? " was made with " : " was there, with ")
                + partitions
                + (partitions == 1 ? " partition" : " partitions"));
      }
      return ExitCode.DONE;
    }
  }
}
