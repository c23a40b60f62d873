package io.wexrun.cli;

import io.wexrun.core.shape.RecordTrial;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/** Shows a record on its way through a pipeline: what each step adds, changes and removes. */
final class TrialView {
  private static final int SHOWN_TEXT = 110;
  private static final int SHOWN_VALUE = 60;
  private static final int WIDTH = 120;

  private final Terminal terminal;

  TrialView(Terminal terminal) {
    this.terminal = terminal;
  }

  /** Writes a record, and its way through all steps. */
  void show(RecordTrial trial) {
    show(trial, Integer.MAX_VALUE);
  }

  /** Writes a record, and its way through the first steps. */
  void show(RecordTrial trial, int steps) {
    String text = new String(trial.text(), StandardCharsets.UTF_8);
    terminal.out.println(
        terminal.style(Terminal.Style.PLACE, "@" + trial.position())
            + "  "
            + terminal.style(Terminal.Style.DIM, Terminal.brief(text, SHOWN_TEXT)));
    showWay(trial, steps);
    terminal.out.println();
  }

  /** Writes a record's way through the first steps. */
  void showWay(RecordTrial trial, int steps) {
    List<Map<String, String>> before = List.of(Map.of());
    int number = 0;
    String kind = "";
    for (RecordTrial.Stage stage : first(trial, steps)) {
      number++;
      kind = tellKind(stage.step(), kind);
      String name = stage.step().replaceAll(".*\\.", "");
      String label = String.format("  %2d %-9s ", number, name);
      for (Map<String, String> row : stage.rows()) {
        Map<String, String> old = before.size() == 1 ? before.get(0) : Map.of();
        write(label, changes(old, row));
        label = " ".repeat(label.length());
      }
      before = stage.rows();
    }
    if (steps > trial.stages().size()) {
      terminal.out.println("     " + end(trial));
    }
  }

  /** The first steps of a record's way. */
  static List<RecordTrial.Stage> first(RecordTrial trial, int steps) {
    List<RecordTrial.Stage> stages = trial.stages();
    return stages.subList(0, Math.min(steps, stages.size()));
  }

  /** Where a record went: its targets, {@code dead} or {@code dropped}. */
  static List<String> places(RecordTrial trial) {
    if (trial.death().isPresent()) {
      return List.of("dead");
    }
    return trial.targets().isEmpty() ? List.of("dropped") : trial.targets();
  }

  /** Says where the steps of a kind begin; the kind of the step. */
  private String tellKind(String step, String before) {
    String kind = step.startsWith("kinds.") ? step.split("\\.")[1] : "";
    if (!kind.equals(before)) {
      terminal.out.println(terminal.style(Terminal.Style.PLACE, "     of the kind " + kind));
    }
    return kind;
  }

  /** A change of a field: the mark, how it is set off, and the text. */
  private record Change(char mark, Terminal.Style style, String text) {}

  private static List<Change> changes(Map<String, String> old, Map<String, String> row) {
    List<Change> changes = new ArrayList<>();
    row.forEach(
        (name, value) -> {
          String shown = name + "=" + shown(value);
          if (!old.containsKey(name)) {
            changes.add(new Change('+', Terminal.Style.GOOD, shown));
          } else if (!old.get(name).equals(value)) {
            changes.add(new Change('~', Terminal.Style.WARNING, shown));
          }
        });
    old.keySet().stream()
        .filter(name -> !row.containsKey(name))
        .forEach(name -> changes.add(new Change('-', Terminal.Style.BAD, name)));
    return changes;
  }

  /** Writes changes behind a label, on as many lines as they need. */
  private void write(String label, List<Change> changes) {
    StringBuilder line = new StringBuilder(label);
    int width = label.length();
    String gap = "";
    for (Change change : changes) {
      int more = 1 + change.text().codePointCount(0, change.text().length());
      if (!gap.isEmpty() && width + gap.length() + more > WIDTH) {
        terminal.out.println(line);
        line = new StringBuilder(" ".repeat(label.length()));
        width = label.length();
        gap = "";
      }
      line.append(gap).append(terminal.style(change.style(), "" + change.mark()));
      line.append(change.text());
      width += gap.length() + more;
      gap = "  ";
    }
    terminal.out.println(changes.isEmpty() ? label + "as it was" : line);
  }

  private static String shown(String value) {
    String brief = Terminal.brief(value, SHOWN_VALUE);
    return brief.isEmpty() || brief.indexOf(' ') >= 0 ? "\"" + brief + "\"" : brief;
  }

  private String end(RecordTrial trial) {
    if (trial.death().isEmpty()) {
      String places = String.join(", ", places(trial));
      return terminal.style(Terminal.Style.GOOD, "goes to " + places);
    }
    RecordTrial.Death death = trial.death().get();
    String field = death.field().isEmpty() ? "" : ", field " + death.field();
    return terminal.style(Terminal.Style.BAD, "dies: " + death.reason())
        + " at "
        + death.step()
        + field
        + ": "
        + Terminal.brief(death.detail(), SHOWN_TEXT);
  }
}
