package io.wexrun.cli;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.schema.Instants;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.DeadFacts;
import java.util.ArrayList;
import java.util.Base64;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

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
      List<String> names = workspace.pipelineNames();
      if (pipeline != null) {
        NamesGiven.known("pipeline", pipeline, names, spec);
        names = List.of(pipeline);
      }
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
            + terminal.style(
                Terminal.Style.PLACE, letter.record().source() + " @" + letter.record().position())
            + "  "
            + name
            + " "
            + letter.death().step()
            + (letter.death().field().isEmpty() ? "" : "  field " + letter.death().field()));
    terminal.out.println("  " + letter.death().detail());
    terminal.out.println(
        "  " + terminal.style(Terminal.Style.DIM, Terminal.brief(letter.text(), 160)));
  }

  private static Map<String, Object> facts(String name, DeadLetter letter) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", name);
    facts.put("reason", letter.reason().code());
    facts.put("step", letter.death().step());
    facts.put("field", letter.death().field());
    facts.put("detail", letter.death().detail());
    facts.put("version", letter.death().version());
    DeadLetter.Original record = letter.record();
    facts.put("source", record.source());
    facts.put("position", record.position());
    if (record.taken() > 0) {
      facts.put("taken", Instants.instant(record.taken()).toString());
    }
    facts.put("raw", letter.text());
    facts.put("rawBase64", base64(record.raw()));
    if (record.header().length > 0) {
      facts.put("headerBase64", base64(record.header()));
    }
    record.key().ifPresent(key -> facts.put("keyBase64", base64(key)));
    if (!record.headers().isEmpty()) {
      facts.put("headers", record.headers());
    }
    return facts;
  }

  private static String base64(byte[] bytes) {
    return Base64.getEncoder().encodeToString(bytes);
  }

  private int summarise(Workspace workspace, List<String> names) {
    List<DeadFacts> sums = new ArrayList<>();
    for (String name : names) {
      workspace.deadFacts(name).stream().filter(sum -> wanted(sum.example())).forEach(sums::add);
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("reasons", sums.stream().map(DeadCommand::facts).toList()));
    } else {
      show(sums);
    }
    return ExitCode.DONE;
  }

  private static Map<String, Object> facts(DeadFacts sum) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", sum.pipeline());
    facts.put("reason", sum.reason().code());
    facts.put("count", sum.count());
    facts.put("example", facts(sum.pipeline(), sum.example()));
    return facts;
  }

  /** Writes the most frequent reasons of all pipelines, a line each. */
  static void overview(Workspace workspace, int most, Terminal terminal) {
    List<List<String>> rows =
        workspace.definition().pipelines().stream()
            .flatMap(pipeline -> workspace.deadFacts(pipeline.name()).stream())
            .sorted(Comparator.comparingLong(DeadFacts::count).reversed())
            .limit(most)
            .map(
                sum ->
                    List.of(
                        sum.pipeline(),
                        sum.reason().code(),
                        Counted.number(sum.count()),
                        Terminal.brief(sum.example().death().detail(), 80)))
            .toList();
    terminal.table(
        List.of("pipeline", "reason", "letters", "for example"),
        List.of(false, false, true, false),
        rows);
  }

  private void show(List<DeadFacts> sums) {
    String before = "";
    for (DeadFacts sum : sums) {
      if (!sum.pipeline().equals(before)) {
        terminal.out.println(
            terminal.style(Terminal.Style.BOLD, sum.pipeline())
                + terminal.style(Terminal.Style.DIM, "  (queue dead/" + sum.pipeline() + ")"));
      }
      before = sum.pipeline();
      show(sum);
    }
    if (sums.isEmpty()) {
      terminal.say("no dead letters");
    }
    terminal.flush();
  }

  private void show(DeadFacts sum) {
    String head = String.format("%9s  ", Counted.number(sum.count()));
    terminal.out.println(
        head
            + terminal.style(Terminal.Style.BAD, String.format("%-15s", sum.reason()))
            + "  "
            + Terminal.brief(sum.example().death().detail(), 110));
    String text = sum.example().text();
    String raw = text.isEmpty() ? "(an empty line)" : Terminal.brief(text, 108);
    terminal.out.println(" ".repeat(28) + terminal.style(Terminal.Style.DIM, raw));
  }
}
