package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.tally.Counts;
import io.wexrun.project.facts.RebuildFacts;
import io.wexrun.project.facts.TableComparison;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;

/** Shows what was built again, and how it differs from what was there. */
final class RebuildView {
  private static final int VALUE = 30;
  private static final int ROW = 110;

  private final Terminal terminal;

  RebuildView(Terminal terminal) {
    this.terminal = terminal;
  }

  /** Shows a rebuild that has caught up. */
  void show(RebuildFacts rebuild) {
    Counts counts = rebuild.books().counts();
    terminal.out.println(
        terminal.style(Terminal.Style.BOLD, "rebuild " + rebuild.number())
            + " of "
            + rebuild.pipeline()
            + ": "
            + Counted.of(counts.taken(), "record")
            + " taken again");
    for (RebuildFacts.Shadow table : rebuild.tables()) {
      line(
          counts.loaded().getOrDefault(table.name(), 0L),
          Terminal.Style.GOOD,
          "loaded into " + table.shadow() + " in " + table.store());
    }
    rebuild
        .others()
        .forEach(
            name ->
                line(
                    counts.loaded().getOrDefault(name, 0L),
                    Terminal.Style.DIM,
                    "for " + name + ", which is not built again: it stays as it is"));
    line(counts.dropped(), Terminal.Style.DIM, "dropped by the route");
    line(
        counts.allDead(),
        Terminal.Style.BAD,
        "dead letters: " + reasons(counts) + " (" + rebuild.letters() + ")");
    rebuild
        .from()
        .forEach(
            (source, position) ->
                terminal.out.println(
                    terminal.style(
                        Terminal.Style.DIM,
                        "           " + source + " from position " + position + " on")));
    terminal.flush();
    String how = "'wexrun rebuild " + rebuild.pipeline();
    terminal.say(
        "nothing has changed yet for who reads the tables: see "
            + how
            + " --compare', then "
            + how
            + " --swap' or --discard");
    terminal.flush();
  }

  private static String reasons(Counts counts) {
    return counts.dead().entrySet().stream()
        .map(each -> each.getKey().code() + " " + Counted.number(each.getValue()))
        .collect(Collectors.joining(", "));
  }

  private void line(long count, Terminal.Style style, String what) {
    if (count > 0) {
      terminal.out.println(
          String.format("%9s  ", Counted.number(count)) + terminal.style(style, what));
    }
  }

  /** Shows a rebuild whose tables are in their places. */
  void swapped(RebuildFacts rebuild) {
    for (RebuildFacts.Shadow table : rebuild.tables()) {
      terminal.out.println(
          terminal.style(Terminal.Style.BOLD, table.name())
              + " in "
              + table.store()
              + " is the new one; the one of before is "
              + table.kept().orElseThrow());
    }
    terminal.flush();
    terminal.say(
        "'wexrun rebuild "
            + rebuild.pipeline()
            + " --drop-old' drops what is kept, when nobody needs it any more");
    terminal.flush();
  }

  /** Shows how tables differ. */
  void compare(List<TableComparison> all, boolean json) {
    if (json) {
      terminal.json(Map.of("tables", all.stream().map(RebuildView::facts).toList()));
      return;
    }
    all.forEach(this::compare);
    terminal.flush();
  }

  private void compare(TableComparison table) {
    terminal.out.println(
        terminal.style(Terminal.Style.BOLD, table.table())
            + ": "
            + Counted.of(table.before(), "row")
            + " before, "
            + Counted.number(table.after())
            + " after"
            + (table.same() ? terminal.style(Terminal.Style.GOOD, ", the same rows") : ""));
    if (table.unclear()) {
      terminal.say(
          "the pipeline goes on loading "
              + table.table()
              + ": rows that it has loaded since the rebuild caught up count as missing; run the"
              + " rebuild again just before, or give the table 'origin: true'");
    }
    columns("columns of another type", table.retyped());
    columns("columns only before", table.missing());
    columns("columns only after", table.fresh());
    long changed = table.changed();
    line(
        changed,
        Terminal.Style.WARNING,
        "changed: the same " + String.join(", ", table.by()) + ", other values");
    line(table.onlyBefore() - changed, Terminal.Style.BAD, "only before");
    line(table.onlyAfter() - changed, Terminal.Style.GOOD, "only after");
    for (TableComparison.Values values : table.values()) {
      boolean single =
          values.counts().stream().allMatch(c -> Math.abs(c.before() - c.after()) == 1);
      terminal.out.println(
          "  "
              + values.column()
              + ": "
              + Counted.of(values.differing(), "value")
              + (values.differing() == 1 ? " comes" : " come")
              + (single ? " in one row more or less" : " in another number of rows"));
      if (single) {
        continue; // Which ones would tell nobody anything.
      }
      for (TableComparison.Count count : values.counts()) {
        terminal.out.println(
            String.format(
                "    %-30s %9s before %9s after",
                count.value() == null ? "(none)" : Terminal.brief(count.value(), VALUE),
                Counted.number(count.before()),
                Counted.number(count.after())));
      }
    }
    for (TableComparison.Example example : table.examples()) {
      terminal.out.println(
          "  "
              + terminal.style(
                  example.side().equals("before") ? Terminal.Style.BAD : Terminal.Style.GOOD,
                  example.side().equals("before") ? "before" : "after ")
              + " "
              + Terminal.brief(row(table, example), ROW));
    }
  }

  /** A row, with the columns in front in which fewest values differ: they tell most. */
  private static String row(TableComparison table, TableComparison.Example example) {
    Map<String, Long> differing = new HashMap<>();
    table.values().forEach(values -> differing.put(values.column(), values.differing()));
    return example.row().entrySet().stream()
        .filter(each -> each.getValue() != null)
        .sorted(Comparator.comparing(each -> differing.getOrDefault(each.getKey(), Long.MAX_VALUE)))
        .map(each -> each.getKey() + "=" + each.getValue())
        .collect(Collectors.joining(" "));
  }

  private void columns(String what, List<String> names) {
    if (!names.isEmpty()) {
      terminal.out.println("  " + what + ": " + String.join(", ", names));
    }
  }

  private static Map<String, Object> facts(TableComparison table) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("table", table.table());
    facts.put("before", table.before());
    facts.put("after", table.after());
    facts.put("same", table.same());
    facts.put("onlyBefore", table.onlyBefore());
    facts.put("onlyAfter", table.onlyAfter());
    facts.put("changed", table.changed());
    facts.put("by", table.by());
    facts.put("retypedColumns", table.retyped());
    facts.put("missingColumns", table.missing());
    facts.put("newColumns", table.fresh());
    facts.put(
        "values",
        table.values().stream()
            .map(
                each -> {
                  Map<String, Object> values = new LinkedHashMap<>();
                  values.put("column", each.column());
                  values.put("differing", each.differing());
                  values.put("counts", each.counts().stream().map(RebuildView::facts).toList());
                  return values;
                })
            .toList());
    facts.put(
        "examples",
        table.examples().stream()
            .map(each -> Map.of("side", each.side(), "row", each.row()))
            .toList());
    facts.put("unclear", table.unclear());
    return facts;
  }

  private static Map<String, Object> facts(TableComparison.Count count) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("value", count.value());
    facts.put("before", count.before());
    facts.put("after", count.after());
    return facts;
  }

  /** A rebuild for machines. */
  static Map<String, Object> facts(RebuildFacts rebuild) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("number", rebuild.number());
    facts.put("pipeline", rebuild.pipeline());
    facts.put("state", rebuild.state());
    facts.put("by", rebuild.by());
    facts.put("begun", rebuild.begun().toString());
    rebuild.swapped().ifPresent(time -> facts.put("swapped", time.toString()));
    facts.put(
        "tables",
        rebuild.tables().stream()
            .map(
                each -> {
                  Map<String, Object> table = new LinkedHashMap<>();
                  table.put("name", each.name());
                  table.put("store", each.store());
                  table.put("shadow", each.shadow());
                  each.kept().ifPresent(kept -> table.put("kept", kept));
                  return table;
                })
            .toList());
    facts.put("notRebuilt", rebuild.others());
    facts.put("from", rebuild.from());
    Counts counts = rebuild.books().counts();
    facts.put("taken", counts.taken());
    facts.put("loaded", counts.loaded());
    facts.put("dead", counts.allDead());
    facts.put("dropped", counts.dropped());
    return facts;
  }
}
