package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.RunFacts;
import java.time.Duration;
import java.time.Instant;
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
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "runs",
    mixinStandardHelpOptions = true,
    description = {
      "Show when pipelines ran, why they were started, how long they went on, what they took and",
      "loaded, and how it ended. The latest 20,000 runs are kept."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such pipeline; 3 no workspace.",
      "",
      "Example: wexrun runs gate-load --limit 5"
    })
final class RunsCommand implements Callable<Integer> {
  private static final int LONGEST = 120;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..*",
      paramLabel = "PIPELINE",
      description = "Which pipelines: names, patterns such as 'gate-*', or tag:WORD; else all.")
  private List<String> names = List.of();

  @Option(
      names = "--limit",
      paramLabel = "N",
      defaultValue = "50",
      description = "Show at most the latest N (default: ${DEFAULT-VALUE}).")
  private int limit;

  RunsCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if (limit < 1) {
      throw new ParameterException(spec.commandLine(), "--limit is at least 1");
    }
    try (Workspace workspace = workspaceOption.open()) {
      List<String> chosen =
          names.isEmpty()
              ? List.of()
              : NamesGiven.chosen(workspace, workspace.undefined(), names, spec);
      List<RunFacts> runs = workspace.runs().latest(chosen, limit);
      if (workspaceOption.json()) {
        terminal.json(Map.of("runs", runs.stream().map(RunsCommand::facts).toList()));
      } else if (runs.isEmpty()) {
        terminal.say("nothing has run yet");
      } else {
        show(runs);
      }
      return ExitCode.DONE;
    }
  }

  private void show(List<RunFacts> runs) {
    List<List<String>> rows = new ArrayList<>();
    for (RunFacts run : runs) {
      Duration time = Duration.between(run.started(), run.ended().orElse(Instant.now()));
      boolean known = run.ended().isPresent();
      rows.add(
          List.of(
              run.started().truncatedTo(ChronoUnit.SECONDS).toString(),
              run.pipeline(),
              run.why(),
              run.how().equals("killed") ? "" : StatusCommand.time(time),
              known ? Counted.number(run.taken()) : "",
              known ? Counted.number(run.loaded()) : "",
              known ? Counted.number(run.dead()) : "",
              styled(run.how()),
              Terminal.brief(run.detail(), LONGEST)));
    }
    terminal.table(
        List.of("started", "pipeline", "why", "for", "taken", "loaded", "dead", "state", "detail"),
        List.of(false, false, false, true, true, true, true, false, false),
        rows);
    terminal.flush();
  }

  private String styled(String how) {
    return switch (how) {
      case "failed", "killed" -> terminal.style(Terminal.Style.BAD, how);
      case "running" -> terminal.style(Terminal.Style.GOOD, how);
      default -> how;
    };
  }

  private static Map<String, Object> facts(RunFacts run) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", run.pipeline());
    facts.put("why", run.why());
    facts.put("started", run.started().toString());
    run.ended().ifPresent(ended -> facts.put("ended", ended.toString()));
    facts.put("how", run.how());
    facts.put("taken", run.taken());
    facts.put("loaded", run.loaded());
    facts.put("dead", run.dead());
    facts.put("detail", run.detail());
    return facts;
  }
}
