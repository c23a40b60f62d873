package io.wexrun.cli;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.project.Workspace;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "try",
    mixinStandardHelpOptions = true,
    description = {
      "Show what a pipeline makes of some records, step by step. Writes nothing.",
      "A field that a step adds is marked +, one that it changes ~, one that it removes -."
    },
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 no such pipeline or step; 3 no records",
      "can be read.",
      "",
      "Example: wexrun try gate-load incoming/gates/gates-north.log --limit 2"
    })
final class TryCommand implements Callable<Integer> {
  /** Of standard input so much is tried, which may never end. */
  private static final int MOST_INPUT = 16 << 20;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "PIPELINE", description = "The pipeline to try.")
  private String pipeline;

  @Parameters(
      index = "1",
      arity = "0..1",
      paramLabel = "FILE",
      description = "Take records from this file; - reads standard input; without it, the intake.")
  private String file;

  @Option(
      names = "--limit",
      paramLabel = "N",
      description = "Try at most so many records (default 10, or 10000 with --only).")
  private Long limit;

  @Option(
      names = "--only",
      paramLabel = "WHERE",
      description = "Show only records that go there: a target, dead, dropped, or a reason.")
  private String only;

  @Option(names = "--step", paramLabel = "N", description = "Stop at this step, from 1.")
  private Integer step;

  @Option(
      names = "--save-case",
      description = "Keep the records shown as cases, which check runs from then on.")
  private boolean saveCase;

  TryCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws IOException {
    if (limit != null && limit < 1 || step != null && step < 1) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "--limit and --step are 1 or more");
    }
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      NamesGiven.pipelines(workspace, pipeline, spec);
      if (only != null) {
        NamesGiven.known("target or reason", only, places(workspace), spec);
      }
      List<BlockTrial> tried = tried(workspace);
      List<RecordTrial> trials = new ArrayList<>();
      tried.forEach(t -> trials.addAll(t.trials()));
      int steps = trials.stream().mapToInt(t -> t.stages().size()).max().orElse(0);
      if (step != null && !trials.isEmpty() && step > steps) {
        throw new ParameterException(
            spec.commandLine(),
            "there is no step "
                + step
                + ": "
                + (only == null ? "" : "these records go through ")
                + Counted.of(steps, "step")
                + (only == null ? " at most" : ""));
      }
      List<RecordTrial> shown = trials.stream().filter(this::wanted).toList();
      if (workspaceOption.json()) {
        terminal.json(
            "records", shown.stream().map(this::facts).toList(), "summary", summary(trials));
      } else {
        TrialView view = new TrialView(terminal);
        shown.forEach(trial -> view.show(trial, steps()));
        summarise(trials, shown.size(), tried);
      }
      if (saveCase) {
        save(workspace, shown);
      }
      return ExitCode.DONE;
    }
  }

  private void save(Workspace workspace, List<RecordTrial> shown) {
    List<RecordTrial> plain = shown.stream().filter(TryCommand::isPlainText).toList();
    if (plain.size() < shown.size()) {
      terminal.say((shown.size() - plain.size()) + " are no plain text, and not kept");
    }
    if (!plain.isEmpty()) {
      terminal.say("kept " + plain.size() + " in " + workspace.keepCases(pipeline, plain));
    }
  }

  /** Whether a record can be written as a text: UTF-8 without control characters. */
  private static boolean isPlainText(RecordTrial trial) {
    String text = new String(trial.text(), StandardCharsets.UTF_8);
    return text.indexOf('\uFFFD') < 0 && text.chars().noneMatch(c -> c < 32 && c != '\t');
  }

  private List<BlockTrial> tried(Workspace workspace) throws IOException {
    long most = limit != null ? limit : only == null ? 10 : 10_000;
    if (file == null) {
      return workspace.tryOut(pipeline, most);
    }
    if (!file.equals("-")) {
      return workspace.tryOut(pipeline, terminal.at(file), most);
    }
    byte[] input = terminal.input(MOST_INPUT);
    if (input.length == MOST_INPUT && terminal.hasMoreInput()) {
      terminal.say("only the first " + (MOST_INPUT >> 20) + " MB of standard input are tried");
    }
    return workspace.tryOut(pipeline, input, most);
  }

  private List<String> places(Workspace workspace) {
    List<String> places = new ArrayList<>(List.of("dead", "dropped"));
    places.addAll(workspace.definition().tables().keySet());
    places.addAll(workspace.definition().targets().keySet());
    for (Reason reason : Reason.values()) {
      places.add(reason.code());
    }
    return places;
  }

  private boolean wanted(RecordTrial trial) {
    return only == null
        || TrialView.places(trial).contains(only)
        || trial.death().map(d -> d.reason().equals(only)).orElse(false);
  }

  private int steps() {
    return step == null ? Integer.MAX_VALUE : step;
  }

  private static Map<String, Long> summary(List<RecordTrial> trials) {
    Map<String, Long> counts = new TreeMap<>();
    for (RecordTrial trial : trials) {
      TrialView.places(trial).forEach(place -> counts.merge(place, 1L, Long::sum));
      trial.death().ifPresent(d -> counts.merge("dead, " + d.reason(), 1L, Long::sum));
    }
    return counts;
  }

  private void summarise(List<RecordTrial> trials, int shown, List<BlockTrial> tried) {
    terminal.out.println(
        Counted.number(trials.size()) + " tried, " + Counted.number(shown) + " shown");
    List<List<String>> rows = new ArrayList<>();
    summary(trials).forEach((place, n) -> rows.add(List.of(place, Counted.number(n))));
    if (!rows.isEmpty()) {
      terminal.table(List.of("went to", "records"), List.of(false, true), rows);
    }
    Map<String, Long> fitted = new TreeMap<>();
    tried.forEach(t -> t.shaped().fitted().forEach((k, v) -> fitted.merge(k, v, Long::sum)));
    if (!fitted.isEmpty()) {
      List<List<String>> ways = new ArrayList<>();
      fitted.forEach((way, n) -> ways.add(List.of(way, Counted.number(n))));
      terminal.table(List.of("fitted", "records"), List.of(false, true), ways);
    }
    terminal.flush();
  }

  private Map<String, Object> facts(RecordTrial trial) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("position", trial.position());
    facts.put("text", new String(trial.text(), StandardCharsets.UTF_8));
    List<Map<String, Object>> stages = new ArrayList<>();
    for (RecordTrial.Stage stage : TrialView.first(trial, steps())) {
      Map<String, Object> each = new LinkedHashMap<>();
      each.put("step", stage.step());
      each.put("rows", stage.rows());
      stages.add(each);
    }
    facts.put("steps", stages);
    facts.put("to", TrialView.places(trial));
    trial.death().ifPresent(death -> facts.put("death", death));
    return facts;
  }
}
