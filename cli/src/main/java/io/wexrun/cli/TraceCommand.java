package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceDead;
import io.wexrun.project.WorkspaceTrace;
import io.wexrun.project.facts.ReplayFacts;
import io.wexrun.project.facts.Traced;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "trace",
    mixinStandardHelpOptions = true,
    description =
        "Show from which records rows of a table were made, and how: with the "
            + "pipeline's text of then. Or with --record, where a record went: into which "
            + "tables, or why it died, and whether it came back. Rows can be traced of "
            + "tables with 'origin: true'.",
    footer = {
      "",
      "Exit codes: 0 done; 2 no such table or source; 3 a store is held, or does not "
          + "take the condition.",
      "",
      "Example: wexrun trace --record gate-events/0@136"
    })
final class TraceCommand implements Callable<Integer> {
  private static final int WIDTH = 110;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", arity = "0..1", paramLabel = "TABLE", description = "Whose rows.")
  private String table;

  @Parameters(
      index = "1",
      arity = "0..1",
      paramLabel = "WHERE",
      description = "Which rows: a condition in the SQL of the store, such as \"ms > 900\".")
  private String where;

  @Option(
      names = "--record",
      paramLabel = "SOURCE@POSITION",
      description = "Which record: as 'dead', 'try' and messages name it.")
  private String record;

  @Option(
      names = "--limit",
      paramLabel = "N",
      defaultValue = "3",
      description = "Trace at most so many rows (default ${DEFAULT-VALUE}).")
  private int limit;

  TraceCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if ((table == null) == (record == null) || table != null && where == null) {
      throw new ParameterException(
          spec.commandLine(), "name a table and a condition, or a record with --record");
    }
    if (limit < 1) {
      throw new ParameterException(spec.commandLine(), "--limit is at least 1");
    }
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      WorkspaceTrace trace = workspace.trace();
      return record != null ? record(trace) : rows(trace, workspace);
    }
  }

  private int rows(WorkspaceTrace trace, Workspace workspace) {
    List<String> tables = List.copyOf(workspace.definition().tables().keySet());
    NamesGiven.known("table", table, tables, spec);
    if (!trace.tables().contains(table)) {
      boolean folder = trace.unasked().contains(table);
      throw new ParameterException(
          spec.commandLine(),
          (folder
                  ? "the store of '" + table + "' does not answer queries"
                  : "rows of '"
                      + table
                      + "' do not tell which records they were made of: give the table"
                      + " 'origin: true'")
              + (trace.tables().isEmpty()
                  ? ""
                  : "; those that do are " + String.join(", ", trace.tables())));
    }
    List<WorkspaceTrace.Row> rows = trace.rows(table, where, limit);
    if (workspaceOption.json()) {
      List<Map<String, Object>> facts = new ArrayList<>();
      for (WorkspaceTrace.Row row : rows) {
        Map<String, Object> fact = new LinkedHashMap<>();
        fact.put("row", row.values());
        row.record().ifPresent(traced -> fact.put("record", facts(traced)));
        facts.add(fact);
      }
      terminal.json(Map.of("rows", facts));
      return ExitCode.DONE;
    }
    for (WorkspaceTrace.Row row : rows) {
      terminal.out.println(
          terminal.style(Terminal.Style.BOLD, "row of " + table)
              + "  "
              + Terminal.brief(
                  row.values().entrySet().stream()
                      .map(each -> each.getKey() + "=" + each.getValue())
                      .collect(Collectors.joining("  ")),
                  WIDTH));
      if (row.record().isPresent()) {
        show(row.record().get());
      } else {
        terminal.out.println(
            "  it does not tell its origin: it was loaded before the table had 'origin', or by"
                + " somebody else");
      }
    }
    if (rows.isEmpty()) {
      terminal.say("no row fits");
    } else if (rows.size() == limit) {
      terminal.say(Counted.of(limit, "row") + "; --limit traces more");
    }
    terminal.flush();
    return ExitCode.DONE;
  }

  private int record(WorkspaceTrace trace) {
    int mark = record.lastIndexOf('@');
    if (mark < 1 || !record.substring(mark + 1).strip().matches("[0-9]{1,18}")) {
      throw new ParameterException(
          spec.commandLine(),
          "'" + record + "' is not a record: they are named like gate-events/0@136");
    }
    String source = record.substring(0, mark).strip();
    List<Traced> all = trace.record(source, Long.parseLong(record.substring(mark + 1).strip()));
    if (all.isEmpty()) {
      throw new ParameterException(
          spec.commandLine(),
          "no pipeline has taken from '"
              + source
              + "': 'wexrun tally --by source' shows the sources");
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("records", all.stream().map(TraceCommand::facts).toList()));
    } else {
      all.forEach(this::show);
      terminal.flush();
    }
    return ExitCode.DONE;
  }

  private void show(Traced traced) {
    terminal.out.println(
        "  "
            + terminal.style(Terminal.Style.PLACE, traced.source() + " @" + traced.position())
            + "  "
            + traced.pipeline()
            + traced.version().map(v -> ", by its text of version " + v).orElse("")
            + traced.by().map(time -> ", done by " + time).orElse(""));
    if (traced.raw().isEmpty()) {
      terminal.out.println("  its source does not have it any more, or has no record there");
    } else {
      terminal.out.println(
          "  "
              + terminal.style(
                  Terminal.Style.DIM,
                  Terminal.brief(WorkspaceDead.text(traced.raw().get()), WIDTH)));
    }
    if (!traced.taken()) {
      terminal.out.println("  the pipeline has not accounted for it yet; it would become:");
    } else if (traced.asNow() && traced.trial().isPresent()) {
      terminal.out.println("  that text is not understood any more; by the one of now:");
    }
    traced.trial().ifPresent(this::way);
    for (Traced.Letter letter : traced.letters()) {
      show(letter);
    }
    traced
        .rows()
        .forEach(
            (name, rows) -> {
              boolean leads =
                  traced.trial().filter(t -> t.targets().contains(name)).isPresent()
                      && traced.taken();
              if (rows > 0) {
                terminal.out.println("  " + Counted.of(rows, "row") + " in " + name);
              } else if (leads) {
                terminal.out.println("  no row of it is in " + name);
              }
            });
  }

  private void way(RecordTrial trial) {
    new TrialView(terminal).showWay(trial, Integer.MAX_VALUE);
  }

  private void show(Traced.Letter letter) {
    terminal.out.println(
        "  dead letter "
            + letter.kept().place()
            + ", died "
            + letter.kept().died()
            + letter.replay().map(replay -> "; " + DeadShowCommand.by(replay)).orElse(""));
    letter.trial().ifPresent(this::way);
  }

  private static Map<String, Object> facts(Traced traced) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", traced.pipeline());
    facts.put("source", traced.source());
    facts.put("position", traced.position());
    facts.put("taken", traced.taken());
    traced.version().ifPresent(version -> facts.put("version", version));
    traced.by().ifPresent(time -> facts.put("by", time.toString()));
    traced.raw().ifPresent(raw -> facts.put("raw", WorkspaceDead.text(raw)));
    traced.trial().ifPresent(trial -> facts.put("way", way(trial, traced.asNow())));
    facts.put("rows", traced.rows());
    List<Map<String, Object>> letters = new ArrayList<>();
    for (Traced.Letter letter : traced.letters()) {
      Map<String, Object> fact = new LinkedHashMap<>(DeadView.facts(letter.kept()));
      Optional<ReplayFacts> replay = letter.replay();
      replay.ifPresent(by -> fact.put("replay", ReplayView.facts(by)));
      letter.trial().ifPresent(trial -> fact.put("way", way(trial, false)));
      letters.add(fact);
    }
    facts.put("letters", letters);
    return facts;
  }

  private static Map<String, Object> way(RecordTrial trial, boolean asNow) {
    List<Map<String, Object>> steps = new ArrayList<>();
    trial.stages().forEach(s -> steps.add(Map.of("step", s.step(), "rows", s.rows())));
    return Map.of("steps", steps, "goes", TrialView.places(trial), "byTextOfNow", asNow);
  }
}
