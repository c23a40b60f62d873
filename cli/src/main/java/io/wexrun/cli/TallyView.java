package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.TimeTally;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.Completeness;
import io.wexrun.project.facts.Proof;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;

/** Shows the books in parts, and proves them. */
final class TallyView {
  /** By what the books are shown. */
  enum By {
    SOURCE,
    TARGET,
    REASON,
    HOUR,
    DAY
  }

  private final Workspace workspace;
  private final Terminal terminal;
  private final boolean json;
  private final List<Map<String, Object>> facts = new ArrayList<>();
  private final List<List<String>> rows = new ArrayList<>();

  TallyView(Workspace workspace, Terminal terminal, boolean json) {
    this.workspace = workspace;
    this.terminal = terminal;
    this.json = json;
  }

  /** Shows the books of some pipelines. */
  void show(List<String> pipelines, By by) {
    for (String pipeline : pipelines) {
      switch (by) {
        case SOURCE ->
            workspace.books().bySource(pipeline).forEach((s, t) -> source(pipeline, s, t));
        case TARGET ->
            workspace
                .tally(pipeline)
                .counts()
                .loaded()
                .forEach((target, n) -> count(pipeline, "target", target, "loaded", n));
        case REASON ->
            workspace
                .tally(pipeline)
                .counts()
                .dead()
                .forEach((reason, n) -> count(pipeline, "reason", reason.code(), "dead", n));
        default ->
            workspace
                .books()
                .over(pipeline, TimeTally.Unit.valueOf(by.name()))
                .forEach(time -> time(pipeline, time));
      }
    }
    if (json) {
      terminal.json(Map.of("lines", facts));
    } else if (rows.isEmpty()) {
      terminal.say("nothing is in the books yet");
    } else {
      List<String> header = new ArrayList<>(facts.get(0).keySet());
      terminal.table(header, header.stream().map(TallyView::isNumber).toList(), rows);
    }
  }

  private static boolean isNumber(String column) {
    return !List.of("pipeline", "source", "target", "reason", "since", "newest event")
        .contains(column);
  }

  private void source(String pipeline, SourcePartition source, SourceTally tally) {
    Counts counts = tally.counts();
    Map<String, Object> line = new LinkedHashMap<>();
    line.put("pipeline", pipeline);
    line.put("source", source.name());
    line.put("position", tally.position());
    line.put("taken", counts.taken());
    line.put("unfolded", counts.unfolded());
    line.put("copied", counts.copied());
    line.put("loaded", counts.allLoaded());
    line.put("dead", counts.allDead());
    line.put("dropped", counts.dropped());
    line.put("revived", tally.revived());
    line.put("lost", tally.lost());
    line.put("newest event", tally.newest().map(Instant::toString).orElse(""));
    add(line);
  }

  private void count(String pipeline, String what, String name, String column, long count) {
    Map<String, Object> line = new LinkedHashMap<>();
    line.put("pipeline", pipeline);
    line.put(what, name);
    line.put(column, count);
    add(line);
  }

  private void time(String pipeline, TimeTally time) {
    Map<String, Object> line = new LinkedHashMap<>();
    line.put("pipeline", pipeline);
    line.put("since", time.since().toString());
    line.put("taken", time.taken());
    line.put("loaded", time.loaded());
    line.put("died", time.died());
    line.put("dropped", time.dropped());
    line.put("revived", time.revived());
    add(line);
  }

  private void add(Map<String, Object> line) {
    facts.add(line);
    rows.add(
        line.values().stream()
            .map(v -> v instanceof Long number ? Counted.number(number) : String.valueOf(v))
            .toList());
  }

  /** Shows up to which time of the events tables are complete. */
  void complete(List<String> pipelines) {
    List<Completeness> all = pipelines.stream().map(workspace.books()::complete).toList();
    if (json) {
      terminal.json(Map.of("pipelines", all.stream().map(TallyView::facts).toList()));
      return;
    }
    Instant now = Instant.now();
    terminal.table(
        List.of("pipeline", "complete up to", "newest event", "", "behind"),
        List.of(false, false, false, false, false),
        all.stream().map(each -> row(each, now)).toList());
  }

  private static List<String> row(Completeness each, Instant now) {
    String behind =
        each.behind().isEmpty()
            ? "no source"
            : Counted.of(each.behind().size(), "source") + ", such as " + each.behind().get(0);
    return List.of(
        each.pipeline(),
        each.edge().map(Instant::toString).orElse("cannot be said"),
        each.newest().map(Instant::toString).orElse("rows tell no time"),
        each.newest()
            .map(time -> StatusCommand.time(Duration.between(time, now)) + " ago")
            .orElse(""),
        each.why().isEmpty() ? behind : each.why());
  }

  private static Map<String, Object> facts(Completeness each) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", each.pipeline());
    each.edge().ifPresent(time -> facts.put("complete_up_to", time.toString()));
    each.newest().ifPresent(time -> facts.put("newest_event", time.toString()));
    facts.put("behind", each.behind());
    facts.put("why", each.why());
    return facts;
  }

  /** Counts again, and shows what agrees; false if something does not. */
  boolean prove(List<String> pipelines) {
    List<Proof> lines = workspace.books().prove(pipelines);
    if (json) {
      terminal.json(Map.of("lines", lines.stream().map(TallyView::facts).toList()));
    } else if (lines.isEmpty()) {
      terminal.say("nothing is in the books yet");
    } else {
      terminal.table(
          List.of("pipeline", "what", "books", "found", ""),
          List.of(false, false, true, true, false),
          lines.stream().map(this::row).toList());
      terminal.say(sum(lines));
    }
    return lines.stream()
        .allMatch(
            line -> line.verdict() == Proof.Verdict.AGREES || line.verdict() == Proof.Verdict.OPEN);
  }

  private List<String> row(Proof line) {
    String found = line.found().isPresent() ? Counted.number(line.found().getAsLong()) : "?";
    String words =
        switch (line.verdict()) {
          case AGREES -> terminal.style(Terminal.Style.GOOD, "agrees");
          case DIFFERS -> terminal.style(Terminal.Style.BAD, "DIFFERS: ") + line.why();
          case UNKNOWN -> terminal.style(Terminal.Style.BAD, "UNKNOWN: ") + line.why();
          default -> "cannot be said: " + line.why();
        };
    String what =
        switch (line.kind()) {
          case SOURCE -> "records of " + line.subject();
          case TARGET -> "rows in " + line.subject();
          default -> line.subject();
        };
    return List.of(line.pipelines(), what, Counted.number(line.books()), found, words);
  }

  private static String sum(List<Proof> lines) {
    Map<Proof.Verdict, Long> verdicts = new TreeMap<>();
    lines.forEach(line -> verdicts.merge(line.verdict(), 1L, Long::sum));
    long agree = verdicts.getOrDefault(Proof.Verdict.AGREES, 0L);
    long differ = verdicts.getOrDefault(Proof.Verdict.DIFFERS, 0L);
    long unknown = verdicts.getOrDefault(Proof.Verdict.UNKNOWN, 0L);
    long open = verdicts.getOrDefault(Proof.Verdict.OPEN, 0L);
    return Counted.of(agree, "line")
        + (agree == 1 ? " agrees, " : " agree, ")
        + differ
        + (differ == 1 ? " differs, " : " differ, ")
        + (unknown == 0 ? "" : unknown + " unknown, ")
        + open
        + " cannot be counted again";
  }

  private static Map<String, Object> facts(Proof line) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipelines", line.pipelines());
    facts.put("kind", line.kind().name().toLowerCase(Locale.ROOT));
    facts.put("what", line.subject());
    facts.put("books", line.books());
    line.found().ifPresent(found -> facts.put("found", found));
    facts.put("verdict", line.verdict().name().toLowerCase(Locale.ROOT));
    facts.put("why", line.why());
    return facts;
  }
}
