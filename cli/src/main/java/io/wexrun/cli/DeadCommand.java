package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.DeadGroup;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "dead",
    mixinStandardHelpOptions = true,
    subcommands = {
      DeadShowCommand.class,
      DeadExportCommand.class,
      DeadEditCommand.class,
      DeadDropCommand.class
    },
    description = {
      "Show dead letters: those that are alike together, or each of them with --list.",
      "Alike are letters of one reason, step and field of which the same was told, whatever the",
      "values, numbers and ids in it."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such pipeline or reason; 3 no workspace.",
      "",
      "Example: wexrun dead gate-load --list --reason bad-value --limit 5"
    })
final class DeadCommand implements Callable<Integer> {
  private static final int WIDTH = 108;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private DeadFilterOption filterOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..1",
      paramLabel = "PIPELINE",
      description = "Only this pipeline's; without it, all pipelines'.")
  private String pipeline;

  @Option(names = "--list", description = "List the dead letters themselves.")
  private boolean list;

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
    DeadFilter filter = filterOption.filter();
    try (Workspace workspace = workspaceOption.open()) {
      List<String> names = workspace.pipelineNames();
      if (pipeline != null) {
        NamesGiven.known("pipeline", pipeline, names, spec);
        names = List.of(pipeline);
      }
      return list ? list(workspace, names, filter) : summarise(workspace, names, filter);
    }
  }

  private int list(Workspace workspace, List<String> names, DeadFilter filter) {
    List<Map<String, Object>> facts = new ArrayList<>();
    for (String name : names) {
      workspace
          .dead()
          .read(
              name,
              filter,
              letter -> {
                if (facts.size() < limit) {
                  facts.add(DeadView.facts(letter));
                  if (!workspaceOption.json()) {
                    DeadView.write(letter, terminal);
                  }
                }
                return facts.size() < limit;
              });
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("letters", facts));
    } else if (facts.isEmpty()) {
      sayNone(filter, terminal);
    } else if (facts.size() == limit) {
      terminal.say("the first " + limit + "; --limit shows more");
    }
    terminal.flush();
    return ExitCode.DONE;
  }

  private int summarise(Workspace workspace, List<String> names, DeadFilter filter) {
    List<DeadGroup> groups = new ArrayList<>();
    Map<String, Long> taken = new LinkedHashMap<>();
    for (String name : names) {
      groups.addAll(workspace.dead().groups(name, filter));
      Tally tally = workspace.tally(name);
      taken.put(name, tally.counts().taken());
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("groups", groups.stream().map(g -> facts(g, taken)).toList()));
    } else {
      show(groups, taken);
      if (groups.isEmpty()) {
        sayNone(filter, terminal);
      }
    }
    return ExitCode.DONE;
  }

  private static Map<String, Object> facts(DeadGroup group, Map<String, Long> taken) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", group.pipeline());
    facts.put("reason", group.kind().reason().code());
    facts.put("step", group.kind().step());
    facts.put("field", group.kind().field());
    facts.put("pattern", group.kind().pattern());
    facts.put("count", group.count());
    long of = taken.get(group.pipeline());
    if (of > 0) {
      facts.put("share", Math.round(1e6 * group.count() / of) / 1e6);
    }
    facts.put("first", group.first().toString());
    facts.put("last", group.last().toString());
    facts.put("example", DeadView.facts(group.example()));
    return facts;
  }

  /** Writes the most frequent reasons of all pipelines, a line each. */
  static void overview(Workspace workspace, int most, Terminal terminal) {
    Map<List<Object>, DeadGroup> byReason = new LinkedHashMap<>();
    workspace.definition().pipelines().stream()
        .flatMap(pipeline -> workspace.dead().groups(pipeline.name(), DeadFilter.ALL).stream())
        .forEach(
            group ->
                byReason.merge(
                    List.of(group.pipeline(), group.kind().reason()), group, DeadGroup::and));
    List<List<String>> rows =
        byReason.values().stream()
            .sorted(Comparator.comparingLong(DeadGroup::count).reversed())
            .limit(most)
            .map(
                group ->
                    List.of(
                        group.pipeline(),
                        group.kind().reason().code(),
                        Counted.number(group.count()),
                        Terminal.brief(group.example().letter().death().detail(), 80)))
            .toList();
    terminal.table(
        List.of("pipeline", "reason", "letters", "for example"),
        List.of(false, false, true, false),
        rows);
  }

  private void show(List<DeadGroup> groups, Map<String, Long> taken) {
    String before = "";
    for (DeadGroup group : groups) {
      if (!group.pipeline().equals(before)) {
        terminal.out.println(
            terminal.style(Terminal.Style.BOLD, group.pipeline())
                + terminal.style(Terminal.Style.DIM, "  (queue dead/" + group.pipeline() + ")"));
      }
      before = group.pipeline();
      show(group, taken.get(group.pipeline()));
    }
    terminal.flush();
  }

  /** Says that there are none. */
  static void sayNone(DeadFilter filter, Terminal terminal) {
    boolean chosen = !filter.equals(DeadFilter.ALL);
    terminal.say(chosen ? "no dead letters fit what was asked" : "no dead letters");
  }

  private void show(DeadGroup group, long taken) {
    String indent = " ".repeat(11);
    DeadGroup.Kind kind = group.kind();
    String place = kind.step() + (kind.field().isEmpty() ? "" : ", field " + kind.field());
    terminal.out.println(
        String.format("%9s  ", Counted.number(group.count()))
            + terminal.style(Terminal.Style.BAD, String.format("%-15s", kind.reason()))
            + "  "
            + terminal.style(Terminal.Style.PLACE, place)
            + "  "
            + Terminal.brief(kind.pattern(), WIDTH));
    terminal.out.println(indent + terminal.style(Terminal.Style.DIM, when(group, taken)));
    terminal.out.println(
        indent
            + "letter "
            + group.example().place()
            + "  "
            + terminal.style(Terminal.Style.DIM, DeadView.raw(group.example().letter(), WIDTH)));
  }

  private static String when(DeadGroup group, long taken) {
    String first = group.first().truncatedTo(ChronoUnit.SECONDS).toString();
    String last = group.last().truncatedTo(ChronoUnit.SECONDS).toString();
    double share = 100.0 * group.count() / Math.max(1, taken);
    String of =
        taken == 0
            ? ""
            : String.format(Locale.ROOT, share < 1 ? "%.2f" : "%.1f", share)
                + " % of what was taken, ";
    return of + (first.equals(last) ? first : first + " to " + last);
  }
}
