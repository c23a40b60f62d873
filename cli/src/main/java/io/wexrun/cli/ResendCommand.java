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
      "Send rows that were put aside because their receiver could not take them for long: the",
      "oldest first, under the ids that they had. Pipelines may run at the same time. Rows that",
      "the receiver refuses are kept in the folder 'refused'; the others of their post are sent."
    },
    footer = {
      "",
      "Exit codes: 0 all is sent or refused; 2 no such store; 3 the receiver cannot take it now,",
      "  and it still waits.",
      "",
      "Example: wexrun resend --list"
    })
final class ResendCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(arity = "0..1", paramLabel = "STORE", description = "Which store. Without it, all.")
  private String store;

  @Option(names = "--list", description = "Show what waits and what was refused; send nothing.")
  private boolean list;

  @Option(
      names = "--refused",
      description = "Send the rows that were refused before, for example after a fix.")
  private boolean refused;

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
    List<Map<String, Object>> kept = new ArrayList<>();
    for (String name : stores) {
      for (Resending.PutAside each : workspace.deliveries().putAside(name)) {
        (each.refused() ? kept : facts).add(facts(name, each));
        rows.add(
            List.of(
                name,
                each.table(),
                each.pipeline(),
                each.refused() ? "refused" : "waits",
                Counted.number(each.rows()),
                each.since().truncatedTo(ChronoUnit.SECONDS).toString(),
                each.why()));
      }
    }
    if (workspaceOption.json()) {
      terminal.json("waiting", facts, "refused", kept);
    } else if (rows.isEmpty()) {
      terminal.say("nothing is put aside");
    } else {
      terminal.table(
          List.of("store", "table", "pipeline", "", "rows", "failing since", "why"),
          List.of(false, false, false, false, true, false, false),
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
        workspace.deliveries().resend(name, refused, each -> sent.add(told(name, each)));
      }
    } finally {
      long delivered = sent.stream().mapToLong(each -> (long) each.get("delivered")).sum();
      long refusedNow = sent.stream().mapToLong(each -> (long) each.get("refused")).sum();
      if (workspaceOption.json()) {
        terminal.json(Map.of("sent", sent));
      } else {
        terminal.say(
            sent.isEmpty()
                ? "nothing was sent"
                : "sent "
                    + Counted.of(delivered, "row")
                    + " in "
                    + Counted.of(sent.size(), "post")
                    + (refusedNow == 0 ? "" : "; " + Counted.of(refusedNow, "row") + " refused"));
      }
      if (!sent.isEmpty()) {
        workspace.history().note("resend", String.join(", ", stores), Counted.of(delivered, "row"));
      }
    }
  }

  private Map<String, Object> told(String name, Resending.Resent each) {
    Map<String, Object> facts = facts(name, each.rows());
    facts.put("delivered", each.delivered());
    facts.put("refused", each.refused());
    each.kept()
        .ifPresent(
            kept -> {
              facts.put("kept", kept.toString());
              terminal.say(
                  Counted.of(each.refused(), "row")
                      + " of "
                      + Counted.number(each.rows().rows())
                      + " refused: "
                      + kept
                      + " says which and why; 'wexrun resend --refused' sends "
                      + (each.refused() == 1 ? "it" : "them")
                      + " again");
            });
    return facts;
  }
}
