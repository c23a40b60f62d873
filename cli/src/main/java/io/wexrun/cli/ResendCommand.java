package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.target.Resending;
import io.wexrun.project.Workspace;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
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
    name = "resend",
    mixinStandardHelpOptions = true,
    description = {
      "Send what was put aside, since a receiver could not take it for long; the oldest first,",
      "under the ids that it had. Pipelines may run meanwhile. With --list, only show what waits."
    },
    footer = {
      "",
      "Exit codes: 0 all is sent, or refused for good; 2 no such store; 3 the receiver cannot",
      "  take it now, and it still waits.",
      "",
      "Example: wexrun resend --list"
    })
final class ResendCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(arity = "0..1", paramLabel = "STORE", description = "Which store. Without it, all.")
  private String store;

  @Option(names = "--list", description = "Show what waits, and send nothing.")
  private boolean list;

  ResendCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> stores = workspace.deliveries().stores();
      if (store != null) {
        NamesGiven.known("delivering store", store, stores, spec);
        stores = List.of(store);
      }
      if (stores.isEmpty()) {
        terminal.say("this workspace sends rows to no store, so nothing was put aside");
      } else if (list) {
        show(workspace, stores);
      } else {
        send(workspace, stores);
      }
      return ExitCode.DONE;
    }
  }

  private void show(Workspace workspace, List<String> stores) {
    List<List<String>> rows = new ArrayList<>();
    List<Map<String, Object>> facts = new ArrayList<>();
    for (String name : stores) {
      for (Resending.PutAside each : workspace.deliveries().putAside(name)) {
        facts.add(facts(name, each));
        rows.add(
            List.of(
                name,
                each.table(),
                each.pipeline(),
                Counted.number(each.rows()),
                each.since().truncatedTo(ChronoUnit.SECONDS).toString(),
                each.why()));
      }
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("waiting", facts));
    } else if (rows.isEmpty()) {
      terminal.say("nothing waits");
    } else {
      terminal.table(
          List.of("store", "table", "pipeline", "rows", "failing since", "why"),
          List.of(false, false, false, true, false, false),
          rows);
    }
    terminal.flush();
  }

  private static Map<String, Object> facts(String store, Resending.PutAside each) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("store", store);
    facts.put("table", each.table());
    facts.put("pipeline", each.pipeline());
    facts.put("id", each.id());
    facts.put("rows", each.rows());
    facts.put("file", each.file().toString());
    facts.put("since", each.since().toString());
    facts.put("why", each.why());
    return facts;
  }

  private void send(Workspace workspace, List<String> stores) {
    List<Map<String, Object>> sent = new ArrayList<>();
    try {
      for (String name : stores) {
        workspace.deliveries().resend(name, each -> sent.add(told(name, each)));
      }
    } finally {
      long rows = sent.stream().mapToLong(each -> (long) each.get("rows")).sum();
      long refused = sent.stream().mapToLong(each -> (long) each.get("refused")).sum();
      if (workspaceOption.json()) {
        terminal.json(Map.of("sent", sent));
      } else {
        terminal.say(
            sent.isEmpty()
                ? "nothing was sent"
                : "sent "
                    + Counted.of(rows - refused, "row")
                    + " in "
                    + Counted.of(sent.size(), "post")
                    + (refused == 0 ? "" : "; " + Counted.of(refused, "row") + " refused"));
      }
      if (!sent.isEmpty()) {
        workspace
            .history()
            .note("resend", String.join(", ", stores), Counted.of(rows - refused, "row"));
      }
    }
  }

  private Map<String, Object> told(String name, Resending.Resent each) {
    Map<String, Object> facts = facts(name, each.rows());
    facts.put("refused", each.refused());
    each.kept()
        .ifPresent(
            kept -> {
              facts.put("kept", kept.toString());
              terminal.say(
                  Counted.of(each.refused(), "row")
                      + " of "
                      + Counted.number(each.rows().rows())
                      + " refused for good: "
                      + kept
                      + " says which and why");
            });
    return facts;
  }
}
