package io.wexrun.core.dead;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.intake.Records;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;

/**
 * Collects the dead letters of one block as rows with {@link DeadLetter#SCHEMA}. For one thread.
 */
public final class LetterRows {
  private record Row(int record, Reason reason, String step, String field, String detail) {}

  private final List<Row> rows = new ArrayList<>();

  /**
   * Adds a letter.
   *
   * @param record the record's number in the block, from 0
   */
  public void add(int record, Reason reason, String step, String field, String detail) {
    rows.add(new Row(record, reason, step, field, detail));
  }

  /** How many letters there are. */
  public int count() {
    return rows.size();
  }

  /** How many letters there are for each reason. */
  public Map<Reason, Long> reasons() {
    Map<Reason, Long> reasons = new EnumMap<>(Reason.class);
    rows.forEach(row -> reasons.merge(row.reason, 1L, Long::sum));
    return reasons;
  }

  /**
   * The letters in the order of their records.
   *
   * @param all the records of the block
   * @param version of the pipeline's text
   */
  public Batch batch(Records all, String source, String version) {
    rows.sort(Comparator.comparingInt(Row::record));
    int count = rows.size();
    TextVector reasons = new TextVector(count, count * 12);
    TextVector steps = new TextVector(count, count * 16);
    TextVector fields = new TextVector(count, count * 8);
    TextVector details = new TextVector(count, count * 32);
    TextVector sources = new TextVector(count, count * 24);
    LongVector positions = new LongVector(count);
    TextVector versions = new TextVector(count, count * 16);
    int[] records = new int[count];
    for (int i = 0; i < count; i++) {
      Row row = rows.get(i);
      records[i] = row.record;
      reasons.append(row.reason.code());
      steps.append(row.step);
      fields.append(row.field);
      details.append(row.detail);
      sources.append(source);
      positions.append(all.position(row.record));
      versions.append(version);
    }
    return new Batch(
        DeadLetter.SCHEMA,
        List.of(reasons, steps, fields, details, sources, positions, versions),
        count,
        all,
        records);
  }
}
