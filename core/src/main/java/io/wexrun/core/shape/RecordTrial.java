package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Schema;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * One record on its way through a shape and a route, seen at every step. Made by {@link
 * Shaper#tryOut}; nothing is written anywhere.
 *
 * @param position where the record stands in its source
 * @param written by when it had been written, in microseconds since 1970-01-01T00:00:00Z; 0 if that
 *     is not known
 * @param text its bytes
 * @param stages what each step made of it, in order, as far as it came
 * @param targets the targets that its rows would go to; none if it died or was dropped
 * @param death why it died
 */
public record RecordTrial(
    long position,
    long written,
    byte[] text,
    List<Stage> stages,
    List<String> targets,
    Optional<Death> death) {

  /**
   * The record behind one step.
   *
   * @param step the step's path
   * @param rows its rows, each as its fields in order; absent values are left out
   */
  public record Stage(String step, List<Map<String, String>> rows) {}

  /**
   * Why a record died, in the words of its dead letter.
   *
   * @param field empty if no single field is at fault
   */
  public record Death(String reason, String step, String field, String detail) {}

  /** The records of a block, from the batches behind each step. */
  static List<RecordTrial> of(Records records, Map<String, Batch> batches, Shaped shaped) {
    List<RecordTrial> trials = new ArrayList<>();
    for (int record = 0; record < records.count(); record++) {
      Optional<Death> death = death(shaped.dead(), record);
      List<Stage> stages = new ArrayList<>();
      for (Map.Entry<String, Batch> behind : batches.entrySet()) {
        if (death.isPresent() && death.get().step().startsWith(behind.getKey())) {
          break;
        }
        List<Map<String, String>> rows = rows(behind.getValue(), record);
        // The steps of a kind see only its own records.
        if (!rows.isEmpty() || !behind.getKey().startsWith("kinds.")) {
          stages.add(new Stage(behind.getKey(), rows));
        }
      }
      List<String> targets = new ArrayList<>();
      for (Map.Entry<String, Rows> rows : shaped.rows().entrySet()) {
        if (holds(rows.getValue(), record)) {
          targets.add(rows.getKey());
        }
      }
      trials.add(
          new RecordTrial(
              records.position(record),
              records.written(record),
              records.bytes(record),
              stages,
              targets,
              death));
    }
    return trials;
  }

  private static boolean holds(Rows rows, int record) {
    for (int i = 0; i < rows.count(); i++) {
      if (rows.batch().record(rows.row(i)) == record) {
        return true;
      }
    }
    return false;
  }

  private static List<Map<String, String>> rows(Batch batch, int record) {
    List<Map<String, String>> rows = new ArrayList<>();
    for (int row = 0; row < batch.rows(); row++) {
      if (batch.record(row) == record) {
        rows.add(fields(batch, row));
      }
    }
    return rows;
  }

  private static Map<String, String> fields(Batch batch, int row) {
    Map<String, String> fields = new LinkedHashMap<>();
    Schema schema = batch.schema();
    for (int i = 0; i < schema.size(); i++) {
      Vector vector = batch.column(i);
      if (!vector.absent(row)) {
        fields.put(schema.column(i).name(), ValueText.text(schema.column(i).type(), vector, row));
      }
    }
    return fields;
  }

  private static Optional<Death> death(Rows dead, int record) {
    for (int i = 0; i < dead.count(); i++) {
      if (dead.batch().record(dead.row(i)) == record) {
        Map<String, String> letter = fields(dead.batch(), dead.row(i));
        return Optional.of(
            new Death(
                letter.get("reason"),
                letter.get("step"),
                letter.get("field"),
                letter.get("detail")));
      }
    }
    return Optional.empty();
  }
}
