package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.DeadGroup;
import io.wexrun.project.facts.ReplayFacts;
import io.wexrun.project.facts.ReplayForecast;
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
    name = "replay",
    mixinStandardHelpOptions = true,
    description =
        "Run dead letters through their pipeline again, as it is now: all, or those "
            + "that are chosen. Those that pass enter their targets, once, whatever is "
            + "killed meanwhile, and are dead no more; the others stay dead letters. If the "
            + "pipeline runs, its run does it. A replay that was killed is gone on with "
            + "first.",
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 no such pipeline or "
          + "reason; 3 a store or the pipeline is held by another process, or something "
          + "else failed: what is done stays done.",
      "",
      "Example: wexrun replay gate-load --reason bad-value --dry-run"
    })
final class ReplayCommand implements Callable<Integer> {
  private static final int WIDTH = 70;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Mixin private DeadFilterOption filterOption;
  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "PIPELINE",
      description = "Whose letters; without it, --history shows those of all.")
  private String pipeline;

  @Option(
      names = "--dry-run",
      description = "Only say what would become of them; nothing is written anywhere.")
  private boolean dryRun;

  @Option(names = "--history", description = "Show what was replayed and given up so far.")
  private boolean history;

  ReplayCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    DeadFilter filter = filterOption.filter();
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      if (history) {
        return history(workspace);
      }
      if (pipeline == null) {
        throw new ParameterException(spec.commandLine(), "say whose letters: name a pipeline");
      }
      NamesGiven.pipelines(workspace, pipeline, spec);
      return dryRun ? forecast(workspace, filter) : replay(workspace, filter);
    }
  }

  private int history(Workspace workspace) {
    if (pipeline != null) {
      NamesGiven.known("pipeline", pipeline, workspace.pipelineNames(), spec);
    }
    List<String> names = pipeline == null ? workspace.pipelineNames() : List.of(pipeline);
    List<ReplayFacts> all =
        names.stream().flatMap(name -> workspace.replays().all(name).stream()).toList();
    if (workspaceOption.json()) {
      terminal.json(Map.of("replays", all.stream().map(ReplayView::facts).toList()));
    } else if (all.isEmpty()) {
      terminal.say("nothing was replayed yet");
    } else {
      ReplayView.history(all, terminal);
    }
    return ExitCode.DONE;
  }

  private int replay(Workspace workspace, DeadFilter filter) throws InterruptedException {
    ReplayView view = new ReplayView(workspace, pipeline, terminal, workspaceOption.json());
    List<ReplayFacts> left = view.open();
    for (ReplayFacts each : left) {
      terminal.say(
          "replay "
              + each.number()
              + " had not ended ("
              + Counted.of(each.letters(), "letter")
              + "): it is gone on with");
    }
    Optional<ReplayFacts> chosen = workspace.replays().choose(pipeline, filter);
    if (chosen.isEmpty() && left.isEmpty()) {
      if (workspaceOption.json()) {
        terminal.json(Map.of("replays", List.of()));
      } else {
        DeadCommand.sayNone(filter, terminal);
      }
      return ExitCode.DONE;
    }
    if (chosen.isEmpty()) {
      DeadCommand.sayNone(filter, terminal);
    }
    return view.doAndShow();
  }

  private int forecast(Workspace workspace, DeadFilter filter) {
    List<ReplayForecast> all = workspace.replays().forecast(pipeline, filter);
    if (workspaceOption.json()) {
      terminal.json(Map.of("forecast", all.stream().map(ReplayCommand::facts).toList()));
      return ExitCode.DONE;
    }
    if (all.isEmpty()) {
      DeadCommand.sayNone(filter, terminal);
      return ExitCode.DONE;
    }
    List<List<String>> rows = new ArrayList<>();
    for (ReplayForecast each : all) {
      rows.add(
          List.of(
              Counted.number(each.count()),
              each.was().reason().code(),
              where(each.was()),
              would(each),
              each.example().toString()));
    }
    terminal.table(
        List.of("letters", "died by", "in", "would", "for example"),
        List.of(true, false, false, false, false),
        rows);
    long letters = all.stream().mapToLong(ReplayForecast::count).sum();
    long die =
        all.stream().filter(f -> f.dies().isPresent()).mapToLong(ReplayForecast::count).sum();
    terminal.say(
        Counted.of(letters, "dead letter")
            + ": "
            + Counted.number(letters - die)
            + " would pass, "
            + Counted.number(die)
            + " would die again; nothing was written, and what a store refuses is not known"
            + " before");
    return ExitCode.DONE;
  }

  private static String where(DeadGroup.Kind kind) {
    return kind.step() + (kind.field().isEmpty() ? "" : ", " + kind.field());
  }

  private String would(ReplayForecast forecast) {
    if (forecast.dies().isPresent()) {
      DeadGroup.Kind kind = forecast.dies().get();
      return terminal.style(Terminal.Style.BAD, "die again")
          + ": "
          + kind.reason().code()
          + " "
          + Terminal.brief(kind.pattern(), WIDTH);
    }
    return forecast.drops()
        ? "be dropped by the route"
        : terminal.style(Terminal.Style.GOOD, "go to")
            + " "
            + String.join(", ", forecast.targets());
  }

  private static Map<String, Object> facts(ReplayForecast forecast) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("count", forecast.count());
    facts.put("was", facts(forecast.was()));
    facts.put("targets", forecast.targets());
    forecast.dies().ifPresent(kind -> facts.put("dies", facts(kind)));
    facts.put("drops", forecast.drops());
    facts.put("example", forecast.example().toString());
    return facts;
  }

  private static Map<String, Object> facts(DeadGroup.Kind kind) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("reason", kind.reason().code());
    facts.put("step", kind.step());
    facts.put("field", kind.field());
    facts.put("pattern", kind.pattern());
    return facts;
  }
}
