package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.queue.care.Verification;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "verify",
    mixinStandardHelpOptions = true,
    description = {
      "Read every byte of a queue and say what is wrong where.",
      "Headers, checksums, positions without gaps, indexes against what they tell of. Changes",
      "nothing."
    },
    footer = {
      "",
      "Exit codes: 0 all is well; 2 no such queue; 3 no workspace; 4 something is damaged.",
      "",
      "Example: wexrun queue verify gate-events"
    })
final class QueueVerifyCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "QUEUE",
      description = "Which queue; without one, all.")
  private String name;

  QueueVerifyCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> names = workspace.queues().names();
      if (name != null) {
        NamesGiven.known("queue", name, names, spec);
        names = List.of(name);
      }
      boolean whole = true;
      List<Map<String, Object>> facts = new ArrayList<>();
      List<List<String>> rows = new ArrayList<>();
      List<String> told = new ArrayList<>();
      for (String each : names) {
        Optional<Verification> found = workspace.queues().verify(each);
        if (found.isEmpty()) {
          continue;
        }
        Verification verification = found.get();
        whole &= verification.whole();
        facts.add(facts(each, verification));
        rows.add(
            List.of(
                each,
                Counted.number(verification.files()),
                Counted.number(verification.records()),
                Counted.number(verification.packs()),
                Counted.number(verification.bytes()),
                verification.faults().isEmpty()
                    ? "whole"
                    : verification.whole() ? "unfinished end" : "DAMAGED"));
        if (verification.lost() > 0) {
          String lost = Counted.number(verification.lost());
          told.add(each + ": " + lost + " positions have no record since a repair");
        }
        for (Verification.Fault fault : verification.faults()) {
          String why = fault.torn() ? " (never acknowledged; opening the queue cuts it)" : "";
          told.add(each + ": " + fault + why);
        }
      }
      if (workspaceOption.json()) {
        terminal.json(Map.of("queues", facts));
      } else {
        terminal.table(
            List.of("queue", "files", "records", "packs", "bytes", "state"),
            List.of(false, true, true, true, true, false),
            rows);
        told.forEach(terminal.out::println);
        terminal.flush();
      }
      return whole ? ExitCode.DONE : ExitCode.UNBALANCED;
    }
  }

  private static Map<String, Object> facts(String queue, Verification verification) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("queue", queue);
    facts.put("whole", verification.whole());
    facts.put("files", verification.files());
    facts.put("records", verification.records());
    facts.put("packs", verification.packs());
    facts.put("bytes", verification.bytes());
    facts.put("lost", verification.lost());
    facts.put("faults", verification.faults());
    return facts;
  }
}
