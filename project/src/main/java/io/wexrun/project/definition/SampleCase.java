package io.wexrun.project.definition;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeSet;

/**
 * A sample record and what a pipeline should make of it.
 *
 * @param record the record's text
 * @param header the header of its file, or empty
 * @param written by when it had been written, in microseconds since 1970-01-01T00:00:00Z, for times
 *     without a year; 0 if that is not told
 * @param to the targets, {@code drop} among them; empty: not told
 * @param rows some fields of each row behind the last step, an absent one empty; empty: not told
 * @param dies the reason, if it should die
 * @param field the field at fault, if that is told
 */
public record SampleCase(
    String record,
    String header,
    long written,
    List<String> to,
    List<Map<String, String>> rows,
    Optional<String> dies,
    Optional<String> field) {

  /** What is other than expected, as a sentence; empty if nothing is. */
  public Optional<String> difference(Shaper shaper) {
    byte[] data = record.getBytes(StandardCharsets.UTF_8);
    Block block =
        new Block(
            new SourcePartition("case"),
            0,
            data.length,
            data,
            data.length,
            whole -> Records.atBytes(data, new int[] {0}, new int[] {data.length}, 1, 0, null),
            header.getBytes(StandardCharsets.UTF_8),
            0,
            written);
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
    List<String> places = places(trial);
    if (dies.isPresent()) {
      return Optional.of("it does not die, but goes to " + String.join(", ", places));
    }
    if (!to.isEmpty() && !new TreeSet<>(to).equals(new TreeSet<>(places))) {
      return Optional.of("it goes to " + String.join(", ", places));
    }
    return rows.isEmpty() ? Optional.empty() : difference(made(trial));
  }

  /** Where a record goes that does not die. */
  public static List<String> places(RecordTrial trial) {
    return trial.targets().isEmpty() ? List.of(Route.DROP) : trial.targets();
  }

  /** The rows that a record has behind the last step that it came to. */
  public static List<Map<String, String>> made(RecordTrial trial) {
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
}
