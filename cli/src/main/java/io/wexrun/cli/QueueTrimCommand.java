package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.project.Workspace;
import io.wexrun.queue.Queue;
import io.wexrun.queue.log.Keep;
import io.wexrun.queue.log.PartitionInfo;
import java.time.Duration;
import java.util.List;
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
    name = "trim",
    mixinStandardHelpOptions = true,
    description = {
      "Remove the oldest records of a queue: whole files, never the one that is written to.",
      "Without a limit, by what wexrun.yaml says the queue keeps."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such queue; 3 the queue is held by another process.",
      "",
      "Example: wexrun queue trim gate-events --age 7d"
    })
final class QueueTrimCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  @Option(names = "--age", paramLabel = "AGE", description = "Keep what is younger, such as 7d.")
  private String age;

  @Option(
      names = "--size",
      paramLabel = "SIZE",
      description = "Keep so much of each partition, such as 10GB.")
  private String size;

  QueueTrimCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    Optional<Duration> oldest = age == null ? Optional.empty() : Sizes.duration(age);
    Optional<Long> largest = size == null ? Optional.empty() : Sizes.bytes(size);
    if (age != null && oldest.isEmpty() || size != null && largest.isEmpty()) {
      throw new ParameterException(
          spec.commandLine(), "--age is written like 7d or 12h, --size like 512MB or 10GB");
    }
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().names(), spec);
      Queue queue = workspace.queues().open(name);
      boolean given = age != null || size != null;
      long removed = given ? queue.trim(new Keep(oldest, largest, false)) : queue.trim();
      workspace.history().note("trim queue", name, Counted.of(removed, "record") + " removed");
      List<PartitionInfo> left = queue.describe();
      long records = left.stream().mapToLong(PartitionInfo::records).sum();
      if (workspaceOption.json()) {
        terminal.json("removed", removed, "left", records);
      } else {
        terminal.say(
            Counted.of(removed, "record")
                + " removed, "
                + Counted.number(records)
                + " left in queue "
                + name);
      }
      return ExitCode.DONE;
    }
  }
}
