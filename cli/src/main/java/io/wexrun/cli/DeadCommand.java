package io.wexrun.cli;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.Workspace;
import java.util.ArrayList;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;
import picocli.CommandLine;

@Command(
    name = "dead",
    mixinStandardHelpOptions = true,
    description = "Show dead letters: how many for each reason, or each of them with --list.",
    footer = {
      "",
      "Exit codes: 0 done; 2 no such pipeline or reason; 3 no workspace.",
      "",
      "Example: wexrun dead gate-load --list --reason bad-value --limit 5"
    })
final class DeadCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..1",
      paramLabel = "PIPELINE",
      description = "Only this pipeline's; without it, all pipelines'.")
  private String pipeline;

  @Option(names = "--list", description = "List the dead letters themselves.")
  private boolean list;

  @Option(names = "--reason", paramLabel = "REASON", description = "Only those with this reason.")
  private String reason;

  @Option(
      names = "--limit",
      paramLabel = "N",
      defaultValue = "100",
      description = "List at most so many (default ${DEFAULT-VALUE}).")
  private int limit;

  DeadCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  /** How often a reason occurs, and the first letter with it. */
  private static final class Sum {
    private long count;
    private DeadLetter example;
  }

  @Override
  public Integer call() {
    if (reason != null && Reason.of(reason).isEmpty()) {
      throw new CommandLine.ParameterException(
          spec.commandLine(),
          "there is no reason '"
              + reason
              + "'; the reasons are "
              + String.join(", ", List.of(Reason.values()).stream().map(Reason::code).toList()));
    }
    try (Workspace workspace = workspaceOption.open()) {
      List<String> names = NamesGiven.pipelines(workspace, pipeline, spec);
      return list ? list(workspace, names) : summarise(workspace, names);
    }
  }

  private boolean wanted(DeadLetter letter) {
    return reason == null || letter.reason().code().equals(reason);
  }

  private int list(Workspace workspace, List<String> names) {
    List<Map<String, Object>> facts = new ArrayList<>();
    for (String name : names) {
      workspace.deadLetters(
          name,
          letter -> {
            if (wanted(letter) && facts.size() < limit) {
              facts.add(facts(name, letter));
              if (!workspaceOption.json()) {
                write(name, letter);
              }
            }
            return facts.size() < limit;
          });
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("letters", facts));
    } else if (facts.isEmpty()) {
      terminal.say("no dead letters");
    } else if (facts.size() == limit) {
      terminal.say("the first " + limit + "; --limit shows more");
    }
    terminal.flush();
    return ExitCode.DONE;
  }

  private void write(String name, DeadLetter letter) {
    terminal.out.println(
        terminal.style(Terminal.Style.BAD, letter.reason().code())
            + "  "
            + terminal.style(Terminal.Style.PLACE, letter.source() + " @" + letter.position())
            + "  "
            + name
            + " "
            + letter.step()
            + (letter.field().isEmpty() ? "" : "  field " + letter.field()));
    terminal.out.println("  " + letter.detail());
    terminal.out.println(
        "  " + terminal.style(Terminal.Style.DIM, Terminal.brief(letter.text(), 160)));
  }

  private static Map<String, Object> facts(String name, DeadLetter letter) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", name);
    facts.put("reason", letter.reason().code());
    facts.put("step", letter.step());
    facts.put("field", letter.field());
    facts.put("detail", letter.detail());
    facts.put("source", letter.source());
    facts.put("position", letter.position());
    facts.put("raw", letter.text());
    facts.put("rawBase64", Base64.getEncoder().encodeToString(letter.raw()));
    return facts;
  }

  private int summarise(Workspace workspace, List<String> names) {
    Map<String, Map<String, Sum>> sums = sums(workspace, names);
    if (workspaceOption.json()) {
      terminal.json(Map.of("reasons", facts(sums)));
    } else {
      show(sums, terminal);
    }
    return ExitCode.DONE;
  }

  private Map<String, Map<String, Sum>> sums(Workspace workspace, List<String> names) {
    Map<String, Map<String, Sum>> sums = new LinkedHashMap<>();
    for (String name : names) {
      Map<String, Sum> ofPipeline = new TreeMap<>();
      workspace.deadLetters(
          name,
          letter -> {
            if (wanted(letter)) {
              Sum sum = ofPipeline.computeIfAbsent(letter.reason().code(), r -> new Sum());
              sum.example = sum.count++ == 0 ? letter : sum.example;
            }
            return true;
          });
      sums.put(name, ofPipeline);
    }
    return sums;
  }

  private static List<Map<String, Object>> facts(Map<String, Map<String, Sum>> sums) {
    List<Map<String, Object>> facts = new ArrayList<>();
    sums.forEach(
        (name, reasons) ->
            reasons.forEach(
                (code, sum) -> {
                  Map<String, Object> fact = new LinkedHashMap<>();
                  fact.put("pipeline", name);
                  fact.put("reason", code);
                  fact.put("count", sum.count);
                  fact.put("example", facts(name, sum.example));
                  facts.add(fact);
                }));
    return facts;
  }

  /** Writes the most frequent reasons of all pipelines, a line each. */
  static void overview(Workspace workspace, int most, Terminal terminal) {
    List<String> names = workspace.definition().pipelines().stream().map(Pipeline::name).toList();
    List<List<String>> rows = new ArrayList<>();
    Map<List<String>, Long> counts = new LinkedHashMap<>();
    new DeadCommand(terminal)
        .sums(workspace, names)
        .forEach(
            (name, reasons) ->
                reasons.forEach(
                    (code, sum) -> {
                      String example = Terminal.brief(sum.example.detail(), 80);
                      List<String> row = List.of(name, code, Terminal.count(sum.count), example);
                      rows.add(row);
                      counts.put(row, sum.count);
                    }));
    rows.sort((x, y) -> Long.compare(counts.get(y), counts.get(x)));
    terminal.table(
        List.of("pipeline", "reason", "letters", "for example"),
        List.of(false, false, true, false),
        rows.stream().limit(most).toList());
  }

  private static void show(Map<String, Map<String, Sum>> sums, Terminal terminal) {
    boolean any = false;
    for (Map.Entry<String, Map<String, Sum>> pipeline : sums.entrySet()) {
      if (pipeline.getValue().isEmpty()) {
        continue;
      }
      any = true;
      terminal.out.println(
          terminal.style(Terminal.Style.BOLD, pipeline.getKey())
              + terminal.style(Terminal.Style.DIM, "  (queue dead/" + pipeline.getKey() + ")"));
      pipeline.getValue().entrySet().stream()
          .sorted((a, b) -> Long.compare(b.getValue().count, a.getValue().count))
          .forEach(e -> show(e.getKey(), e.getValue(), terminal));
    }
    if (!any) {
      terminal.say("no dead letters");
    }
    terminal.flush();
  }

  private static void show(String code, Sum sum, Terminal terminal) {
    String head = String.format("%9s  ", Terminal.count(sum.count));
    terminal.out.println(
        head
            + terminal.style(Terminal.Style.BAD, String.format("%-15s", code))
            + "  "
            + Terminal.brief(sum.example.detail(), 110));
    String raw =
        sum.example.raw().length == 0 ? "(an empty line)" : Terminal.brief(sum.example.text(), 108);
    terminal.out.println(" ".repeat(28) + terminal.style(Terminal.Style.DIM, raw));
  }
}
