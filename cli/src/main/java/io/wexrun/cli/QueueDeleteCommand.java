package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
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
      "The next queue of its name is another one: pipelines begin with its first record."
    },
    footer = {
      "",
      "Exit codes: 0 removed, or there was none; 2 no such queue, --yes is missing, or somebody"
          + " has",
      "  not read it; 3 it is held by another process.",
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

  @Option(names = "--unread", description = "Also if pipelines or groups have not read it all.")
  private boolean unread;

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
      Map<String, Long> behind = unread ? Map.of() : workspace.queues().unread(name);
      if (!behind.isEmpty()) {
        throw new ParameterException(
            spec.commandLine(),
            "queue "
                + name
                + " has records that are not read yet: "
                + told(behind)
                + ". Let them read, or lose these records with --unread");
      }
      long records = workspace.queues().delete(name);
      if (workspaceOption.json()) {
        terminal.json(Map.of("removed", records));
      } else {
        terminal.say("queue " + name + " is removed, with " + Counted.of(records, "record"));
      }
      return ExitCode.DONE;
    }
  }

  private static String told(Map<String, Long> behind) {
    return behind.entrySet().stream()
        .map(e -> e.getKey() + " is " + Counted.of(e.getValue(), "record") + " behind")
        .collect(Collectors.joining(", "));
  }
}
