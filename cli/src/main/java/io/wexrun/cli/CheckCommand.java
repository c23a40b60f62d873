package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Severity;
import io.wexrun.core.run.Setback;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceTables;
import java.io.PrintStream;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;
import java.util.Set;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

@Command(
    name = "check",
    mixinStandardHelpOptions = true,
    description = "Find what is wrong with a workspace before anything runs.",
    footer = {
      "",
      "Tables that are there already are compared with their definitions; for that, their store is",
      "opened.",
      "",
      "Exit codes: 0 no errors; 1 errors; 3 no workspace.",
      "",
      "Example: wexrun check --workspace tram-demo"
    })
final class CheckCommand implements Callable<Integer> {
  /** Longer types are cut in the table of fields, and told below it. */
  private static final int LONGEST_TYPE = 28;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;

  @Option(
      names = "--verbose",
      description =
          "Also name the parts of expressions and the patterns that run slowly, row by row.")
  private boolean verbose;

  @Option(
      names = "--show",
      arity = "0..1",
      paramLabel = "PIPELINE",
      fallbackValue = "",
      description = "Also show the fields after each step, of one pipeline or of all.")
  private String show;

  @Spec private CommandSpec spec;

  CheckCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      List<Diagnostic> diagnostics = workspace.check();
      List<WorkspaceTables.Facts> tables = workspace.tables().facts();
      List<WorkspaceTables.Facts> differences =
          tables.stream().filter(WorkspaceTables.Facts::stops).toList();
      boolean storesFail = toldFailures(tables);
      List<Setback> setbacks = workspace.setbacks();
      boolean errors =
          storesFail
              || !differences.isEmpty()
              || !setbacks.isEmpty()
              || diagnostics.stream().anyMatch(d -> d.severity() == Severity.ERROR);
      if (workspaceOption.json()) {
        Map<String, Object> facts = new LinkedHashMap<>();
        facts.put("diagnostics", diagnostics.stream().map(CheckCommand::facts).toList());
        facts.put("rowByRow", workspace.rowByRow());
        facts.put("tables", differences.stream().map(TableCommand::facts).toList());
        if (show != null) {
          Map<String, Object> fields = new LinkedHashMap<>();
          NamesGiven.pipelines(workspace, show.isEmpty() ? null : show, spec)
              .forEach(name -> fields.put(name, fields(workspace, name)));
          facts.put("fields", fields);
        }
        facts.put("setbacks", setbacks.stream().map(ReconcileCommand::facts).toList());
        terminal.json(facts);
      } else {
        tell(diagnostics, terminal, terminal.out);
        differences.forEach(table -> TableCommand.tell(table, terminal));
        tables.forEach(this::tellEdges);
        setbacks.forEach(setback -> tell(setback, terminal));
        if (!differences.isEmpty()) {
          terminal.say(
              Counted.of(differences.size(), "table") + " otherwise in the store, or not there");
        }
        if (!storesFail && diagnostics.isEmpty() && differences.isEmpty() && setbacks.isEmpty()) {
          terminal.say(
              "nothing wrong: "
                  + Counted.of(workspace.definition().pipelines().size(), "pipeline")
                  + ", "
                  + Counted.of(workspace.definition().tables().size(), "table")
                  + ", "
                  + Counted.of(workspace.queues().defined().size(), "queue"));
        }
      }
      if (show != null && !workspaceOption.json()) {
        NamesGiven.pipelines(workspace, show.isEmpty() ? null : show, spec)
            .forEach(name -> showFields(workspace, name));
      }
      if (verbose && !workspaceOption.json()) {
        workspace.rowByRow().forEach(this::tellRowByRow);
      }
      return errors ? ExitCode.MISTAKES : ExitCode.DONE;
    }
  }

  /** Columns that hold the values in another type. */
  private void tellEdges(WorkspaceTables.Facts table) {
    table
        .edges()
        .forEach(
            edge ->
                terminal.out.println(
                    "table "
                        + table.table().name()
                        + ": column "
                        + edge.name()
                        + " is a "
                        + edge.there().orElse("")
                        + " in the store: "
                        + edge.what()));
  }

  /** Tells that a target does not agree with the tally. */
  static void tell(Setback setback, Terminal terminal) {
    terminal.out.println(
        terminal.style(Terminal.Style.BAD, "does not agree: ")
            + setback
            + ". 'wexrun reconcile "
            + setback.pipeline()
            + "' says what can be done");
    terminal.flush();
  }

  /**
   * Tells each store that cannot be asked once; whether one will not be until somebody mends it.
   */
  private boolean toldFailures(List<WorkspaceTables.Facts> tables) {
    List<OutsideException> failures =
        tables.stream().flatMap(table -> table.failure().stream()).distinct().toList();
    failures.forEach(
        failure ->
            terminal.say(
                "the tables are not compared with those in their store: " + failure.getMessage()));
    return failures.stream().anyMatch(OutsideException::lasting);
  }

  /** Tables of a pipeline's fields: of the common steps, and of those of each kind. */
  private void showFields(Workspace workspace, String pipeline) {
    Map<String, Map<String, Schema>> parts = new LinkedHashMap<>();
    workspace
        .fields(pipeline)
        .forEach(
            (path, schema) -> {
              boolean kind = path.startsWith("kinds.");
              String title = kind ? pipeline + ", kind " + path.split("\\.")[1] : pipeline;
              parts.computeIfAbsent(title, t -> new LinkedHashMap<>()).put(path, schema);
            });
    int before = 0;
    for (Map.Entry<String, Map<String, Schema>> part : parts.entrySet()) {
      boolean kind = part.getValue().keySet().iterator().next().startsWith("kinds.");
      showFields(part.getKey(), part.getValue(), kind ? before : 0);
      before = kind ? before : part.getValue().size();
    }
  }

  /** The fields behind each step of a pipeline, for machines. */
  private static List<Map<String, Object>> fields(Workspace workspace, String pipeline) {
    List<Map<String, Object>> steps = new ArrayList<>();
    workspace
        .fields(pipeline)
        .forEach(
            (step, schema) -> {
              Map<String, Object> fields = new LinkedHashMap<>();
              schema
                  .columns()
                  .forEach(c -> fields.put(c.name(), c.type() + (c.required() ? "" : "?")));
              Map<String, Object> fact = new LinkedHashMap<>();
              fact.put("step", step);
              fact.put("fields", fields);
              steps.add(fact);
            });
    return steps;
  }

  /** A row for each field, a column for each step; {@code before} steps were shown already. */
  private void showFields(String title, Map<String, Schema> steps, int before) {
    List<String> header = new ArrayList<>(List.of("field"));
    List<String> names = new ArrayList<>();
    for (Map.Entry<String, Schema> step : steps.entrySet()) {
      header.add(header.size() + before + " " + step.getKey().replaceAll(".*\\.", ""));
      step.getValue().names().stream().filter(n -> !names.contains(n)).forEach(names::add);
    }
    List<List<String>> rows = new ArrayList<>();
    for (String name : names) {
      List<String> row = new ArrayList<>(List.of(name));
      for (Schema schema : steps.values()) {
        OptionalInt place = schema.find(name);
        row.add(place.isPresent() ? told(schema.column(place.getAsInt())) : null);
      }
      rows.add(row);
    }
    terminal.out.println();
    terminal.out.println(terminal.style(Terminal.Style.PLACE, title));
    terminal.table(header, Collections.nCopies(header.size(), false), rows);
    Set<String> told = new LinkedHashSet<>();
    steps
        .values()
        .forEach(
            schema ->
                schema.columns().stream()
                    .filter(c -> c.type().toString().length() > LONGEST_TYPE)
                    .forEach(c -> told.add(c.name() + " is " + c.type())));
    told.forEach(terminal.out::println);
  }

  /** A type; with a question mark if the value may be absent. */
  private static String told(Column column) {
    String type = Terminal.brief(column.type().toString(), LONGEST_TYPE);
    return type + (column.required() ? "" : "?");
  }

  private void tellRowByRow(String pipeline, List<String> parts) {
    parts.forEach(part -> terminal.out.println(pipeline + " runs row by row: " + part));
    terminal.flush();
  }

  private static Map<String, Object> facts(Diagnostic diagnostic) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("code", diagnostic.code());
    facts.put("severity", diagnostic.severity() == Severity.ERROR ? "error" : "warning");
    facts.put("subject", diagnostic.subject());
    diagnostic
        .place()
        .ifPresent(
            place -> {
              facts.put("file", place.file());
              facts.put("line", place.line());
              facts.put("column", place.column());
              facts.put("length", place.length());
            });
    facts.put("message", diagnostic.message());
    diagnostic.hint().ifPresent(hint -> facts.put("hint", hint));
    return facts;
  }

  /** Writes diagnostics with their places and carets, and how many there are. */
  static void tell(List<Diagnostic> diagnostics, Terminal terminal, PrintStream to) {
    boolean out = to == terminal.out;
    for (Diagnostic diagnostic : diagnostics) {
      boolean error = diagnostic.severity() == Severity.ERROR;
      Terminal.Style style = error ? Terminal.Style.BAD : Terminal.Style.WARNING;
      List<String> lines = diagnostic.render().lines().toList();
      for (int i = 0; i < lines.size(); i++) {
        String line = lines.get(i);
        boolean caret = line.matches(" +\\| +\\^+|\\s*\\| *\\^+");
        Terminal.Style lineStyle =
            i == 0 || caret ? style : line.startsWith("      = ") ? Terminal.Style.GOOD : null;
        String shown = line;
        if (lineStyle != null) {
          shown = out ? terminal.style(lineStyle, line) : terminal.styleErr(lineStyle, line);
        }
        to.println(shown);
      }
      to.println();
    }
    to.flush();
    long errors = diagnostics.stream().filter(d -> d.severity() == Severity.ERROR).count();
    long warnings = diagnostics.size() - errors;
    if (!diagnostics.isEmpty()) {
      terminal.say(Counted.of(errors, "error") + ", " + Counted.of(warnings, "warning"));
    }
  }
}
