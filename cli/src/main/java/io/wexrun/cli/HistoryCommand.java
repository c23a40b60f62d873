package io.wexrun.cli;

import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceHistory;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Spec;

@Command(
    name = "history",
    mixinStandardHelpOptions = true,
    description = {
      "Show what people did with the workspace beside running it.",
      "Corrected books, renamed pipelines, removed or repaired queues, and SQL",
      "that may have changed a store."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 wrong command line; 3 no workspace.",
      "",
      "Example: wexrun history --workspace tram-demo --limit 5"
    })
final class HistoryCommand implements Callable<Integer> {
  private static final List<String> HEADER = List.of("time", "by", "what", "with", "detail");
  private static final List<Boolean> NUMERIC = List.of(false, false, false, false, false);
  private static final int LONGEST = 200;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Option(
      names = "--limit",
      paramLabel = "N",
      defaultValue = "50",
      description = "Show at most the latest N (default: ${DEFAULT-VALUE}).")
  private int limit;

  HistoryCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if (limit < 1) {
      throw new ParameterException(spec.commandLine(), "--limit is at least 1");
    }
    try (Workspace workspace = workspaceOption.open()) {
      List<WorkspaceHistory.Act> acts = workspace.history().latest(limit);
      if (workspaceOption.json()) {
        terminal.json(Map.of("acts", acts.stream().map(HistoryCommand::facts).toList()));
      } else if (acts.isEmpty()) {
        terminal.say("nothing was done but run");
      } else {
        terminal.table(HEADER, NUMERIC, acts.stream().map(HistoryCommand::row).toList());
        terminal.flush();
      }
      return ExitCode.DONE;
    }
  }

  private static List<String> row(WorkspaceHistory.Act act) {
    return List.of(
        act.time().toString(),
        act.by(),
        act.what(),
        act.subject(),
        Terminal.brief(act.detail(), LONGEST));
  }

  private static Map<String, Object> facts(WorkspaceHistory.Act act) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("time", act.time().toString());
    facts.put("by", act.by());
    facts.put("what", act.what());
    facts.put("with", act.subject());
    facts.put("detail", act.detail());
    return facts;
  }
}
