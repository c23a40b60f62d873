package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.queue.care.Repair;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "repair",
    mixinStandardHelpOptions = true,
    description = {
      "Make a damaged queue one that can be opened.",
      "Every whole pack keeps its positions; the rest is set aside in files of the queue's folder,",
      "and the positions in between are lost: readers pass over them. Without --yes it only says",
      "what it would do. A copy of the folder that is whole is better than a repair."
    },
    footer = {
      "",
      "Exit codes: 0 done, or nothing to repair; 2 no such queue; 3 another process writes to it;",
      "4 the queue is damaged, and --yes was not given.",
      "",
      "Example: wexrun queue repair gate-events"
    })
final class QueueRepairCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  @Option(names = "--yes", description = "Yes, do it.")
  private boolean yes;

  QueueRepairCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().names(), spec);
      Optional<Repair> found = workspace.queues().repair(name, !yes);
      if (found.isEmpty()) {
        terminal.say("queue " + name + " is empty: nothing was ever appended");
        return ExitCode.DONE;
      }
      Repair repair = found.get();
      if (workspaceOption.json()) {
        Map<String, Object> facts = new LinkedHashMap<>();
        facts.put("queue", name);
        facts.put("done", repair.done());
        facts.put("records", repair.records());
        facts.put("lost", repair.lost());
        facts.put("losses", repair.losses());
        terminal.json(facts);
      } else {
        show(repair);
      }
      return repair.needed() && !repair.done() ? ExitCode.UNBALANCED : ExitCode.DONE;
    }
  }

  private void show(Repair repair) {
    if (!repair.needed()) {
      terminal.say("queue " + name + " is whole: there is nothing to repair");
      return;
    }
    for (Repair.Loss loss : repair.losses()) {
      String place = loss.bytes() > 0 ? ", byte " + loss.place() : "";
      terminal.out.println(loss.file() + place + ": " + loss.what());
      if (loss.to() > loss.from()) {
        terminal.out.println(
            "  positions "
                + loss.from()
                + " to "
                + (loss.to() - 1)
                + " are lost: "
                + Counted.of(loss.to() - loss.from(), "record"));
      }
      if (!loss.aside().isEmpty()) {
        terminal.out.println(
            "  "
                + Counted.of(loss.bytes(), "byte")
                + (repair.done() ? (loss.bytes() == 1 ? " is" : " are") : " would be")
                + " set aside in "
                + loss.aside());
      }
    }
    terminal.flush();
    terminal.say(
        (repair.done() ? "kept " : "would keep ")
            + Counted.of(repair.records(), "record")
            + "; "
            + Counted.number(repair.lost())
            + (repair.done()
                ? (repair.lost() == 1 ? " is lost" : " are lost")
                : " would be lost. Add --yes to do it"));
  }
}
