package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Severity;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.target.AddedColumn;
import io.wexrun.core.target.TableDifference;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceTables;
import io.wexrun.project.facts.TableVersion;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "table",
    mixinStandardHelpOptions = true,
    description = {
      "Show the tables: as they are defined, and as they are in their stores.",
      "With a name: its columns, how it differs in the store, and the statement",
      "that makes it, in the store's own words."
    },
    footer = {
      "",
      "Exit codes: 0 they agree, or the next run makes them; 1 mistakes, or a run",
      "  would stop; 2 no such table; 3 no workspace, or a store cannot be reached.",
      "",
      "Example: wexrun table scans --workspace tram-demo"
    })
final class TableCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "TABLE",
      description = "Which table; without a name, all.")
  private String name;

  @Option(
      names = "--setup-sql",
      description =
          "Print the SQL by which an administrator sets up databases for a role with few rights.")
  private boolean setup;

  @Option(
      names = "--role",
      paramLabel = "NAME",
      description = "With --setup-sql: the role that loads; else the user of each store.")
  private String role;

  private final Map<String, OptionalLong> counts = new HashMap<>();
  private final Map<String, List<AddedColumn>> added = new HashMap<>();
  private final Map<String, List<TableVersion>> versions = new HashMap<>();

  TableCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      if (setup) {
        return printSetup(workspace);
      }
      boolean mistaken = workspace.check().stream().anyMatch(d -> d.severity() == Severity.ERROR);
      if (mistaken) {
        terminal.say("the workspace has mistakes: 'wexrun check' says where");
      }
      if (name != null) {
        List<String> names = List.copyOf(workspace.definition().tables().keySet());
        NamesGiven.known("table", name, names, spec);
      }
      List<WorkspaceTables.Facts> tables =
          workspace.tables().facts().stream()
              .filter(table -> name == null || table.table().name().equals(name))
              .toList();
      tables.forEach(
          table -> {
            counts.put(table.table().name(), workspace.tables().rows(table));
            added.put(table.table().name(), workspace.tables().added(table));
            versions.put(table.table().name(), workspace.tables().versions(table));
          });
      if (workspaceOption.json()) {
        terminal.json(Map.of("tables", tables.stream().map(this::withRows).toList()));
      } else if (tables.isEmpty()) {
        terminal.say(mistaken ? "no table could be read" : "the workspace has no table");
      } else if (name == null) {
        list(tables);
      } else {
        show(tables.get(0));
      }
      terminal.flush();
      tables.stream()
          .flatMap(table -> table.failure().stream())
          .distinct()
          .forEach(failure -> terminal.say("not compared: " + failure.getMessage()));
      boolean stops = mistaken || tables.stream().anyMatch(WorkspaceTables.Facts::stops);
      boolean fails = tables.stream().anyMatch(t -> t.failure().isPresent());
      return stops ? ExitCode.MISTAKES : fails ? ExitCode.OUTSIDE : ExitCode.DONE;
    }
  }

  private int printSetup(Workspace workspace) {
    Map<String, String> scripts = workspace.tables().setups(Optional.ofNullable(role));
    if (workspaceOption.json()) {
      terminal.json(Map.of("stores", scripts));
    } else if (scripts.isEmpty()) {
      terminal.say("no store of this workspace needs to be set up");
    }
    if (!workspaceOption.json()) {
      scripts.values().forEach(terminal.out::println);
    }
    terminal.flush();
    return ExitCode.DONE;
  }

  private void list(List<WorkspaceTables.Facts> tables) {
    List<List<String>> rows = new ArrayList<>();
    for (WorkspaceTables.Facts each : tables) {
      Table table = each.table();
      rows.add(
          Arrays.asList(
              table.name(),
              table.store(),
              counts.get(table.name()).isPresent()
                  ? String.format(Locale.ROOT, "%,d", counts.get(table.name()).getAsLong())
                  : null,
              Integer.toString(table.schema().size()),
              manage(table),
              state(each)));
    }
    terminal.table(
        List.of("table", "store", "rows", "columns", "manage", "in the store"),
        List.of(false, false, true, true, false, false),
        rows);
  }

  private static String manage(Table table) {
    return table.manage().name().toLowerCase(Locale.ROOT);
  }

  private static String state(WorkspaceTables.Facts table) {
    if (table.failure().isPresent()) {
      return "the store cannot be asked";
    }
    if (table.difference().isPresent()) {
      return "otherwise; a run would stop";
    }
    if (table.missing()) {
      return "not there; a run would stop";
    }
    if (!table.grants().isEmpty()) {
      return "rights are missing; a run would stop";
    }
    return table
        .there()
        .map(there -> there ? "as defined" : "not there yet; the next run makes it")
        .orElse("the store does not tell");
  }

  private void show(WorkspaceTables.Facts facts) {
    Table table = facts.table();
    Map<String, String> filled = filled(table);
    boolean fills = !filled.isEmpty();
    List<List<String>> rows = new ArrayList<>();
    for (Column column : table.schema().columns()) {
      List<String> row = new ArrayList<>();
      row.add(column.name());
      Integer length = table.details().lengths().get(column.name());
      row.add(length == null ? column.type().toString() : "text(" + length + ")");
      row.add(role(table, column));
      if (fills) {
        row.add(filled.get(column.name()));
      }
      rows.add(row);
    }
    OptionalLong count = counts.get(table.name());
    terminal.out.println(
        "table "
            + table.name()
            + " in store "
            + table.store()
            + ": "
            + state(facts)
            + (count.isPresent() ? ", " + Counted.of(count.getAsLong(), "row") : ""));
    List<String> titles = new ArrayList<>(List.of("column", "type", "role"));
    if (fills) {
      titles.add("filled with");
    }
    terminal.table(titles, Collections.nCopies(titles.size(), false), rows);
    terminal.out.println();
    if (!added.get(table.name()).isEmpty()) {
      showAdded(added.get(table.name()));
    }
    if (!versions.get(table.name()).isEmpty()) {
      showVersions(versions.get(table.name()));
    }
    if (!facts.edges().isEmpty()) {
      showEdges(facts.edges());
    }
    if (facts.stops()) {
      tell(facts, terminal);
    } else if (!facts.ddl().isEmpty()) {
      terminal.out.println(terminal.style(Terminal.Style.GOOD, facts.ddl()));
    }
  }

  private void showEdges(List<TableDifference.Column> edges) {
    terminal.table(
        List.of("column", "in the store", "at the edges of its type"),
        Collections.nCopies(3, false),
        edges.stream()
            .map(each -> List.of(each.name(), each.there().orElse(""), each.what()))
            .toList());
    terminal.out.println();
  }

  private void showAdded(List<AddedColumn> columns) {
    List<List<String>> rows = new ArrayList<>();
    for (AddedColumn column : columns) {
      rows.add(
          List.of(
              column.column(),
              column.type(),
              column.source() + " @" + column.position(),
              column.by(),
              column.at().truncatedTo(ChronoUnit.SECONDS).toString()));
    }
    terminal.table(
        List.of("added column", "type", "from", "by", "at"), Collections.nCopies(5, false), rows);
    terminal.out.println();
  }

  private void showVersions(List<TableVersion> changes) {
    List<List<String>> rows = new ArrayList<>();
    for (TableVersion version : changes) {
      String from =
          version.from().size() == 1
              ? version.from().entrySet().stream()
                  .map(source -> source.getKey() + " @" + source.getValue())
                  .findFirst()
                  .orElseThrow()
              : Counted.of(version.from().size(), "source");
      rows.add(
          List.of(
              String.join("; ", version.changes()),
              from,
              version.pipeline(),
              version.at().truncatedTo(ChronoUnit.SECONDS).toString()));
    }
    terminal.table(
        List.of("definition changed", "from", "by", "at"), Collections.nCopies(4, false), rows);
    terminal.out.println();
  }

  /** What a column is beside one that may be empty; null if it is nothing else. */
  private static String role(Table table, Column column) {
    Optional<Rollup> rollup = table.rollup();
    if (rollup.isPresent() && rollup.get().kept().stream().anyMatch(column::equals)) {
      return "kept for merging";
    }
    if (rollup.map(of -> of.group().contains(column.name())).orElse(false)) {
      return "group";
    }
    boolean key = rollup.isEmpty() && table.key().contains(column.name());
    return key ? "key" : column.required() ? "required" : null;
  }

  /** The columns that are filled otherwise than by the field of their name. */
  private static Map<String, String> filled(Table table) {
    Map<String, String> filled = new HashMap<>();
    table.defaults().forEach((column, value) -> filled.put(column, "its field, or else " + value));
    filled.putAll(table.computed());
    table
        .rollup()
        .ifPresent(
            of ->
                of.measures()
                    .forEach(m -> filled.put(m.column(), m.function() + "(" + m.of() + ")")));
    return filled;
  }

  private Map<String, Object> withRows(WorkspaceTables.Facts facts) {
    Map<String, Object> all = new LinkedHashMap<>(facts(facts));
    OptionalLong count = counts.get(facts.table().name());
    List<Map<String, Object>> more = new ArrayList<>();
    for (AddedColumn column : added.get(facts.table().name())) {
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put("column", column.column());
      fact.put("type", column.type());
      fact.put("source", column.source());
      fact.put("position", column.position());
      fact.put("by", column.by());
      fact.put("at", column.at().toString());
      more.add(fact);
    }
    all.put("added", more);
    List<Map<String, Object>> changed = new ArrayList<>();
    for (TableVersion version : versions.get(facts.table().name())) {
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put("changes", version.changes());
      Map<String, Long> from = new LinkedHashMap<>();
      version.from().forEach((source, position) -> from.put(source.name(), position));
      fact.put("from", from);
      fact.put("by", version.pipeline());
      fact.put("at", version.at().toString());
      changed.add(fact);
    }
    all.put("changed", changed);
    all.put("rows", count.isPresent() ? count.getAsLong() : null);
    return all;
  }

  /** Tells that a run would stop at a table, and what would help. */
  static void tell(WorkspaceTables.Facts facts, Terminal terminal) {
    String name = facts.table().name();
    if (!facts.grants().isEmpty()) {
      tellGrants(facts, terminal);
      if (facts.difference().isEmpty() && !facts.missing()) {
        return;
      }
    }
    List<String> ddl = List.of(facts.ddl());
    if (facts.difference().isEmpty()) {
      String title =
          "table " + name + " is not in its store, and is never made here (manage: never)";
      terminal.out.println(terminal.style(Terminal.Style.BAD, title + "; a run would stop"));
    } else {
      TableDifference difference = facts.difference().get();
      String title = "table " + name + " is otherwise in its store; a run would stop";
      terminal.out.println(terminal.style(Terminal.Style.BAD, title));
      List<List<String>> rows = new ArrayList<>();
      for (TableDifference.Column column : difference.columns()) {
        rows.add(
            Arrays.asList(
                column.name(),
                column.there().orElse(null),
                column.defined().orElse(null),
                column.what()));
      }
      terminal.table(
          List.of("column", "in the store", "in wexrun.yaml", "difference"),
          Collections.nCopies(4, false),
          rows);
      ddl = difference.ddl();
    }
    boolean statements = ddl.stream().anyMatch(line -> !line.isEmpty());
    terminal.out.println(
        !statements && facts.table().manage() == Table.Manage.NEVER
            ? "its definition is kept elsewhere (manage: never): change it there, or the columns in"
                + " wexrun.yaml"
            : !statements
                ? "files that are there are not changed: give the table another name, or move its"
                    + " folder away"
                : ddl.size() == 1
                    ? "this statement would help:"
                    : "these statements would close it:");
    if (statements) {
      ddl.forEach(line -> terminal.out.println("  " + terminal.style(Terminal.Style.GOOD, line)));
    }
    terminal.out.println();
    terminal.flush();
  }

  private static void tellGrants(WorkspaceTables.Facts facts, Terminal terminal) {
    String title =
        "table "
            + facts.table().name()
            + ": the user of store "
            + facts.table().store()
            + " lacks rights; a run would stop";
    terminal.out.println(terminal.style(Terminal.Style.BAD, title));
    terminal.out.println("an administrator grants them with");
    facts
        .grants()
        .forEach(line -> terminal.out.println("  " + terminal.style(Terminal.Style.GOOD, line)));
    terminal.out.println();
    terminal.flush();
  }

  /** A table, for machines. */
  static Map<String, Object> facts(WorkspaceTables.Facts facts) {
    List<Map<String, Object>> columns = new ArrayList<>();
    for (TableDifference.Column column :
        facts.difference().map(TableDifference::columns).orElse(List.of())) {
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put("column", column.name());
      fact.put("stored", column.there().orElse(null));
      fact.put("defined", column.defined().orElse(null));
      fact.put("difference", column.what());
      columns.add(fact);
    }
    Map<String, Object> all = new LinkedHashMap<>();
    all.put("table", facts.table().name());
    all.put("store", facts.table().store());
    all.put("manage", manage(facts.table()));
    all.put("there", facts.there().orElse(null));
    all.put("missing", facts.missing());
    all.put("columns", columns);
    List<Map<String, Object>> edges = new ArrayList<>();
    for (TableDifference.Column each : facts.edges()) {
      edges.add(
          Map.of("column", each.name(), "stored", each.there().orElse(""), "edge", each.what()));
    }
    all.put("edges", edges);
    all.put("grants", facts.grants());
    all.put("ddl", facts.difference().map(TableDifference::ddl).orElse(List.of(facts.ddl())));
    facts.failure().ifPresent(failure -> all.put("failure", failure.getMessage()));
    return all;
  }
}
