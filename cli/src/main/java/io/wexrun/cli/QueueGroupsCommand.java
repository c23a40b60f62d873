package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.QueueFacts;
import io.wexrun.project.facts.ReaderFacts;
import io.wexrun.queue.Group;
import io.wexrun.queue.Queue;
import java.util.ArrayList;
import java.util.LinkedHashMap;
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
    name = "groups",
    mixinStandardHelpOptions = true,
    description = {
      "Show the groups of a queue and how far behind they are, or let one begin elsewhere.",
      "Without --yes, --reset only shows what it would do. The group must have no members."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such queue, group or start; 3 a process has the group open.",
      "",
      "Example: wexrun queue groups gate-events"
    })
final class QueueGroupsCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  @Option(names = "--reset", paramLabel = "GROUP", description = "Let this group begin elsewhere.")
  private String reset;

  @Option(
      names = "--to",
      paramLabel = "START",
      description = "Where: oldest, newest, a position, or a time such as 2026-05-03T05:00:00Z.")
  private String to;

  @Option(names = "--yes", description = "Yes, do it.")
  private boolean yes;

  QueueGroupsCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if ((reset == null) != (to == null)) {
      throw new ParameterException(spec.commandLine(), "--reset and --to go together");
    }
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().names(), spec);
      QueueFacts facts = workspace.queues().facts(name);
      Optional<Queue> queue = workspace.queues().read(name);
      if (queue.isEmpty()) {
        terminal.say("queue " + name + " is empty: nothing was ever appended");
        return ExitCode.DONE;
      }
      try (Queue open = queue.get()) {
        if (reset == null) {
          show(facts);
        } else {
          NamesGiven.known("group", reset, open.groups(), spec);
          reset(workspace, open);
        }
      }
      return ExitCode.DONE;
    }
  }

  private void show(QueueFacts queue) {
    List<Map<String, Object>> facts = new ArrayList<>();
    List<List<String>> rows = new ArrayList<>();
    for (ReaderFacts group : queue.readers()) {
      if (group.kind() != ReaderFacts.Kind.GROUP) {
        continue;
      }
      for (ReaderFacts.Place place : group.places()) {
        Map<String, Object> fact = new LinkedHashMap<>();
        fact.put("group", group.name());
        fact.put("partition", place.partition());
        fact.put("committed", place.position());
        fact.put("end", place.end());
        fact.put("lag", place.lag());
        facts.add(fact);
        rows.add(
            List.of(
                group.name(),
                Integer.toString(place.partition()),
                place.position() < 0 ? "·" : Counted.number(place.position()),
                Counted.number(place.end()),
                Counted.number(place.lag())));
      }
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("groups", facts));
    } else if (rows.isEmpty()) {
      terminal.say("queue " + name + " has no group that committed anything");
    } else {
      terminal.table(
          List.of("group", "partition", "committed", "end", "lag"),
          List.of(false, true, true, true, true),
          rows);
    }
  }

  private void reset(Workspace workspace, Queue queue) {
    long[] from = queue.committed(reset);
    long[] positions = QueueReadCommand.reader(queue, to, "--to", spec).positions();
    List<List<String>> rows = new ArrayList<>();
    List<Map<String, Object>> facts = new ArrayList<>();
    for (int partition = 0; partition < positions.length; partition++) {
      long change = positions[partition] - Math.max(0, from[partition]);
      rows.add(
          List.of(
              Integer.toString(partition),
              from[partition] < 0 ? "·" : Counted.number(from[partition]),
              Counted.number(positions[partition]),
              change < 0
                  ? Counted.number(-change) + " again"
                  : Counted.number(change) + " passed over"));
      facts.add(
          Map.of("partition", partition, "from", from[partition], "to", positions[partition]));
    }
    if (yes) {
      workspace.history().note("reset group", reset, "of queue " + name + " to " + to);
      try (Group group = queue.group(reset)) {
        group.reset(positions);
      }
    }
    if (workspaceOption.json()) {
      terminal.json("done", yes, "partitions", facts);
      return;
    }
    terminal.table(
        List.of("partition", "from", "to", "records"), List.of(true, true, true, true), rows);
    terminal.say(
        yes
            ? "group " + reset + " begins there now"
            : "nothing was changed: add --yes to let group " + reset + " begin there");
  }
}
