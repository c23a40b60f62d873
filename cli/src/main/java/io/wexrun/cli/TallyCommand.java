package io.wexrun.cli;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.Setback;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.target.Resending;
import io.wexrun.project.Workspace;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "tally",
    mixinStandardHelpOptions = true,
    description = {
      "Show the books: what became of every record.",
      "taken + unfolded + copied = loaded + dead + dropped + held (+ lost)"
    },
    footer = {
      "",
      "Exit codes: 0 the books balance; 2 no such pipeline; 3 no workspace; 4 they do not balance,",
      "  or something does not agree with them or cannot be counted.",
      "",
      "Example: wexrun tally --workspace tram-demo"
    })
final class TallyCommand implements Callable<Integer> {
  private static final List<String> HEADER =
      List.of(
          "pipeline", "taken", "unfolded", "copied", "loaded", "dead", "dropped", "held", "books");
  private static final List<Boolean> NUMERIC =
      List.of(false, true, true, true, true, true, true, true, false);

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..*",
      paramLabel = "PIPELINE",
      description = "Which pipelines: names, patterns such as 'gate-*', or tag:WORD; else all.")
  private List<String> names = List.of();

  @Option(
      names = "--by",
      paramLabel = "WHAT",
      description = "Show the books by source, target, reason, hour or day (times in UTC).")
  private TallyView.By by;

  @Option(
      names = "--complete",
      description =
          "Show up to which time of the events the tables are complete; looks at the sources.")
  private boolean complete;

  @Option(
      names = "--prove",
      description =
          "Count again from the real things: sources, tables, dead letters; reads all of them.")
  private boolean prove;

  TallyCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> known = workspace.tally().stream().map(Tally::pipeline).toList();
      List<String> chosen = NamesGiven.chosen(workspace, known, names, spec);
      if (Stream.of(by != null, prove, complete).filter(said -> said).count() > 1) {
        throw new ParameterException(spec.commandLine(), "say one of --by, --complete and --prove");
      }
      TallyView view = new TallyView(workspace, terminal, workspaceOption.json());
      if (by != null) {
        view.show(chosen, by);
        return ExitCode.DONE;
      }
      if (complete) {
        view.complete(chosen);
        return ExitCode.DONE;
      }
      if (prove) {
        return view.prove(chosen) ? ExitCode.DONE : ExitCode.UNBALANCED;
      }
      List<Tally> tallies =
          workspace.tally().stream().filter(t -> chosen.contains(t.pipeline())).toList();
      List<Setback> setbacks =
          workspace.setbacks().stream().filter(s -> chosen.contains(s.pipeline())).toList();
      List<String> undefined = workspace.undefined().stream().filter(chosen::contains).toList();
      if (workspaceOption.json()) {
        terminal.json(
            "pipelines",
            tallies.stream().map(tally -> facts(tally, workspace)).toList(),
            "setbacks",
            setbacks.stream().map(ReconcileCommand::facts).toList());
      } else {
        show(tallies, workspace, terminal);
        setbacks.forEach(setback -> CheckCommand.tell(setback, terminal));
        tellPutAside(workspace, terminal);
        undefined.forEach(
            name ->
                terminal.say(
                    "pipeline "
                        + name
                        + " is not defined any more; 'wexrun adopt "
                        + name
                        + " NEW' lets another one go on where it was"));
      }
      boolean balanced = tallies.stream().allMatch(Tally::balanced) && setbacks.isEmpty();
      return balanced ? ExitCode.DONE : ExitCode.UNBALANCED;
    }
  }

  /** Rows that are put aside count as loaded, but their receiver does not have them. */
  static void tellPutAside(Workspace workspace, Terminal terminal) {
    for (String store : workspace.deliveries().stores()) {
      List<Resending.Outstanding> all = workspace.deliveries().outstanding(store);
      long waiting = all.stream().mapToLong(Resending.Outstanding::waiting).sum();
      if (waiting > 0) {
        terminal.say(
            "store "
                + store
                + " put "
                + Counted.of(waiting, "row")
                + " aside, since its receiver could not take them: 'wexrun resend "
                + store
                + "' sends them");
      }
      long refused = all.stream().mapToLong(Resending.Outstanding::refused).sum();
      if (refused > 0) {
        terminal.say(
            "the receiver of store "
                + store
                + " refused "
                + Counted.of(refused, "row")
                + " when they were sent again: 'wexrun resend --list' shows why");
      }
    }
  }

  static Map<String, Object> facts(Tally tally, Workspace workspace) {
    Map<String, Object> facts = facts(tally);
    Resending.Outstanding outstanding = workspace.deliveries().outstandingOf(tally.pipeline());
    facts.put("putAside", outstanding.waiting());
    facts.put("putAsideRefused", outstanding.refused());
    return facts;
  }

  private static Map<String, Object> facts(Tally tally) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", tally.pipeline());
    facts.put("taken", tally.counts().taken());
    facts.put("unfolded", tally.counts().unfolded());
    facts.put("copied", tally.counts().copied());
    facts.put("loaded", tally.counts().allLoaded());
    facts.put("dead", tally.counts().allDead());
    facts.put("dropped", tally.counts().dropped());
    facts.put("held", tally.held());
    facts.put("lost", tally.lost());
    facts.put("revived", tally.revived());
    facts.put("balanced", tally.balanced());
    facts.put("targets", tally.counts().loaded());
    Map<String, Long> reasons = new LinkedHashMap<>();
    tally.counts().dead().forEach((reason, n) -> reasons.put(reason.code(), n));
    facts.put("reasons", reasons);
    if (!tally.counts().ignored().isEmpty()) {
      facts.put("ignored", tally.counts().ignored());
    }
    facts.put("sources", tally.sources());
    tally.newest().ifPresent(time -> facts.put("newestEvent", time.toString()));
    return facts;
  }

  /** Writes the books as a table, and where the loaded and the dead went. */
  static void show(List<Tally> tallies, Workspace workspace, Terminal terminal) {
    showTable(tallies, workspace, terminal);
    showShares(tallies, terminal);
  }

  /** Writes the books as a table. */
  static void showTable(List<Tally> tallies, Workspace workspace, Terminal terminal) {
    Map<String, Resending.Outstanding> outstanding = new HashMap<>();
    for (Tally tally : tallies) {
      outstanding.put(tally.pipeline(), workspace.deliveries().outstandingOf(tally.pipeline()));
    }
    boolean aside = outstanding.values().stream().anyMatch(each -> each.waiting() > 0);
    boolean refused = outstanding.values().stream().anyMatch(each -> each.refused() > 0);
    boolean lost = tallies.stream().anyMatch(tally -> tally.lost() > 0);
    List<String> header = new ArrayList<>(HEADER);
    List<Boolean> numeric = new ArrayList<>(NUMERIC);
    boolean revived = tallies.stream().anyMatch(tally -> tally.revived() > 0);
    if (lost) {
      header.add(header.size() - 1, "lost");
      numeric.add(numeric.size() - 1, true);
    }
    if (revived) {
      header.add(header.size() - 1, "(revived)");
      numeric.add(numeric.size() - 1, true);
    }
    if (aside) {
      header.add(header.size() - 1, "(put aside)");
      numeric.add(numeric.size() - 1, true);
    }
    if (refused) {
      header.add(header.size() - 1, "(refused later)");
      numeric.add(numeric.size() - 1, true);
    }
    List<List<String>> rows = new ArrayList<>();
    for (Tally tally : tallies) {
      List<String> row = new ArrayList<>(List.of(tally.pipeline()));
      row.add(Counted.number(tally.counts().taken()));
      row.add(Counted.number(tally.counts().unfolded()));
      row.add(Counted.number(tally.counts().copied()));
      row.add(Counted.number(tally.counts().allLoaded()));
      row.add(Counted.number(tally.counts().allDead()));
      row.add(Counted.number(tally.counts().dropped()));
      row.add(Counted.number(tally.held()));
      if (lost) {
        row.add(Counted.number(tally.lost()));
      }
      if (revived) {
        row.add(Counted.number(tally.revived()));
      }
      if (aside) {
        row.add(Counted.number(outstanding.get(tally.pipeline()).waiting()));
      }
      if (refused) {
        row.add(Counted.number(outstanding.get(tally.pipeline()).refused()));
      }
      row.add(
          tally.balanced()
              ? terminal.style(Terminal.Style.GOOD, "balanced")
              : terminal.style(Terminal.Style.BAD, "NOT BALANCED"));
      rows.add(row);
    }
    terminal.table(header, numeric, rows);
  }

  private static void showShares(List<Tally> tallies, Terminal terminal) {
    terminal.out.println();
    for (Tally tally : tallies) {
      String sources = tally.sources() == 1 ? "1 source" : tally.sources() + " sources";
      terminal.out.println(
          terminal.style(Terminal.Style.BOLD, tally.pipeline()) + " from " + sources);
      if (!tally.counts().loaded().isEmpty()) {
        terminal.out.println("  loaded  " + shares(tally.counts().loaded()));
      }
      if (!tally.counts().dead().isEmpty()) {
        terminal.out.println("  dead    " + shares(tally.counts().dead()));
      }
      tally
          .newest()
          .ifPresent(
              time ->
                  terminal.out.println(
                      "  events  up to "
                          + time
                          + " ("
                          + WorkView.time(Duration.between(time, Instant.now()))
                          + " ago)"));
      if (!tally.counts().ignored().isEmpty()) {
        terminal.out.println("  ignored " + shares(tally.counts().ignored()));
      }
    }
    terminal.flush();
  }

  private static String shares(Map<?, Long> counts) {
    return counts.entrySet().stream()
        .sorted((a, b) -> Long.compare(b.getValue(), a.getValue()))
        .map(
            e -> {
              Object key = e.getKey() instanceof Reason reason ? reason.code() : e.getKey();
              return key + " " + Counted.number(e.getValue());
            })
        .collect(Collectors.joining(", "));
  }
}
