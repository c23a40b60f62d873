package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Records;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/** The records of one block that go no further: rejected or dropped by a step. For one thread. */
public final class Rejects {
  private record Reject(int record, Reason reason, String step, String field, String detail) {}

  private final List<Reject> rejects = new ArrayList<>();
  private final BitSet records = new BitSet();
  private final BitSet dropped = new BitSet();
  private final Map<String, Long> fitted = new TreeMap<>();
  private String step = "";

  /** Names the step that rejects from now on. */
  public void step(String path) {
    step = path;
  }

  /**
   * Rejects a record. The first rejection of a record counts, later ones are ignored.
   *
   * @param record its number in the block, from 0
   * @param field the field at fault, or empty
   * @param detail what exactly is wrong, for people
   */
  public void reject(int record, Reason reason, String field, String detail) {
    if (!records.get(record)) {
      records.set(record);
      rejects.add(new Reject(record, reason, step, field, detail));
    }
  }

  /** Drops a record, which is counted; one that was rejected before stays so. */
  public void drop(int record) {
    if (!records.get(record)) {
      records.set(record);
      dropped.set(record);
    }
  }

  /** Notes how many records one of several ways to read them fitted. */
  public void fitted(String path, long count) {
    fitted.merge(path, count, Long::sum);
  }

  /** How many records each of several ways to read them fitted, by the way's path. */
  public Map<String, Long> fitted() {
    return fitted;
  }

  /** Whether a record was rejected or dropped. */
  public boolean rejected(int record) {
    return records.get(record);
  }

  /** How many records were rejected or dropped. */
  public int count() {
    return rejects.size() + dropped.cardinality();
  }

  /** How many records were dropped. */
  public long dropped() {
    return dropped.cardinality();
  }

  /** How many were rejected for each reason. */
  public Map<Reason, Long> reasons() {
    Map<Reason, Long> counts = new EnumMap<>(Reason.class);
    rejects.forEach(r -> counts.merge(r.reason(), 1L, Long::sum));
    return counts;
  }

  /** The dead letters in the order of their records, with {@link DeadLetter#SCHEMA}. */
  public Batch letters(Records all, String source) {
    rejects.sort((a, b) -> Integer.compare(a.record(), b.record()));
    int count = rejects.size();
    TextVector reasons = new TextVector(count, count * 12);
    TextVector steps = new TextVector(count, count * 16);
    TextVector fields = new TextVector(count, count * 8);
    TextVector details = new TextVector(count, count * 32);
    TextVector sources = new TextVector(count, count * 24);
    LongVector positions = new LongVector(count);
    int[] rows = new int[count];
    for (int i = 0; i < count; i++) {
      Reject reject = rejects.get(i);
      rows[i] = reject.record();
      reasons.append(reject.reason().code());
      steps.append(reject.step());
      fields.append(reject.field());
      details.append(reject.detail());
      sources.append(source);
      positions.append(all.position(reject.record()));
    }
    return new Batch(
        DeadLetter.SCHEMA,
        List.of(reasons, steps, fields, details, sources, positions),
        count,
        all,
        rows);
  }
}
