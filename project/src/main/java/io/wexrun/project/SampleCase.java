package io.wexrun.project;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeSet;

/**
 * A sample record and what a pipeline should make of it.
 *
 * @param record the record's text
 * @param header the header of its file, or empty
 * @param to the targets, {@code drop} among them; empty: not told
 * @param rows some fields of each row behind the last step, an absent one empty; empty: not told
 * @param dies the reason, if it should die
 * @param field the field at fault, if that is told
 */
record SampleCase(
    String record,
    String header,
    List<String> to,
    List<Map<String, String>> rows,
    Optional<String> dies,
    Optional<String> field) {

  private static final List<String> KEYS =
      List.of("record", "header", "to", "row", "rows", "dies", "field");

  /** Reads an item of a list of cases; mistakes are told. */
  static Optional<SampleCase> read(YamlMap map) {
    map.allow("a case", KEYS);
    Optional<String> record = map.requiredText("a case", "record");
    List<Map<String, String>> rows = new ArrayList<>();
    map.map("row").ifPresent(row -> rows.add(fields(row)));
    map.items("rows").forEach(row -> rows.add(fields(map.mapAt(row, "a row"))));
    boolean tells = map.value("to").isPresent() || map.value("dies").isPresent() || !rows.isEmpty();
    if (record.isPresent() && !tells) {
      map.error(
          map.node(),
          "missing-key",
          "the case expects nothing",
          Optional.of("add to: TABLE, row: {FIELD: VALUE}, or dies: REASON"));
    }
    return record
        .filter(text -> tells)
        .map(
            text ->
                new SampleCase(
                    text,
                    map.text("header").orElse(""),
                    map.texts("to"),
                    rows,
                    map.text("dies"),
                    map.text("field")));
  }

  private static Map<String, String> fields(YamlMap row) {
    Map<String, String> fields = new LinkedHashMap<>();
    row.keys().forEach(key -> fields.put(key, String.valueOf(YamlMap.texts(row.value(key).get()))));
    return fields;
  }

  /** What is other than expected, as a sentence; empty if nothing is. */
  Optional<String> difference(Shaper shaper) {
    byte[] data = record.getBytes(StandardCharsets.UTF_8);
    Block block =
        new Block(
            new SourcePartition("case"),
            0,
            data.length,
            data,
            data.length,
            whole -> Records.atBytes(data, new int[] {0}, new int[] {data.length}, 1, 0, null),
            header.getBytes(StandardCharsets.UTF_8));
    return difference(shaper.tryOut(block).trials().get(0));
  }

  private Optional<String> difference(RecordTrial trial) {
    if (trial.death().isPresent()) {
      RecordTrial.Death death = trial.death().get();
      boolean same =
          dies.isPresent()
              && death.reason().equals(dies.get())
              && field.map(death.field()::equals).orElse(true);
      String at = death.field().isEmpty() ? "" : ", field " + death.field();
      return same
          ? Optional.empty()
          : Optional.of("it dies: " + death.reason() + at + ": " + death.detail());
    }
    List<String> places = trial.targets().isEmpty() ? List.of("drop") : trial.targets();
    if (dies.isPresent()) {
      return Optional.of("it does not die, but goes to " + String.join(", ", places));
    }
    if (!to.isEmpty() && !new TreeSet<>(to).equals(new TreeSet<>(places))) {
      return Optional.of("it goes to " + String.join(", ", places));
    }
    return rows.isEmpty() ? Optional.empty() : difference(made(trial));
  }

  private static List<Map<String, String>> made(RecordTrial trial) {
    List<RecordTrial.Stage> stages = trial.stages();
    return stages.isEmpty() ? List.of(Map.of()) : stages.get(stages.size() - 1).rows();
  }

  private Optional<String> difference(List<Map<String, String>> made) {
    if (made.size() != rows.size()) {
      return Optional.of("it gives " + made.size() + " rows, not " + rows.size());
    }
    List<String> differences = new ArrayList<>();
    for (int i = 0; i < rows.size(); i++) {
      Map<String, String> row = made.get(i);
      String where = rows.size() == 1 ? "" : " in row " + (i + 1);
      rows.get(i)
          .forEach(
              (name, value) -> {
                String is = row.getOrDefault(name, "");
                if (!is.equals(value)) {
                  differences.add(name + where + " is " + shown(is) + ", not " + shown(value));
                }
              });
    }
    return differences.isEmpty() ? Optional.empty() : Optional.of(String.join("; ", differences));
  }

  private static String shown(String value) {
    return value.isEmpty() ? "absent or empty" : "\"" + value + "\"";
  }

  /** The case that a record just tried makes, as an item of a list in YAML. */
  static String text(RecordTrial trial) {
    StringBuilder text = new StringBuilder();
    text.append("- record: ")
        .append(Drafts.quoted(new String(trial.text(), StandardCharsets.UTF_8)));
    if (trial.death().isPresent()) {
      RecordTrial.Death death = trial.death().get();
      text.append("\n  dies: ").append(death.reason());
      if (!death.field().isEmpty()) {
        text.append("\n  field: ").append(Drafts.quoted(death.field()));
      }
      return text.append('\n').toString();
    }
    List<String> places = trial.targets().isEmpty() ? List.of("drop") : trial.targets();
    text.append("\n  to: [").append(String.join(", ", places)).append("]");
    List<Map<String, String>> rows = made(trial);
    if (rows.size() != 1 || !rows.get(0).isEmpty()) {
      text.append("\n  rows:");
      for (Map<String, String> row : rows) {
        String start = "\n    - ";
        for (Map.Entry<String, String> each : row.entrySet()) {
          text.append(start).append(Drafts.quoted(each.getKey())).append(": ");
          text.append(Drafts.quoted(each.getValue()));
          start = "\n      ";
        }
      }
    }
    return text.append('\n').toString();
  }
}
