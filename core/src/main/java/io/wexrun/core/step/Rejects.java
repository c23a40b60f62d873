package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.dead.LetterRows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.intake.Records;
import java.util.BitSet;
import java.util.Map;
import java.util.TreeMap;

/** The records of one block that go no further: rejected or dropped by a step. For one thread. */
public final class Rejects {
  private final LetterRows letters = new LetterRows();
  private final BitSet records = new BitSet();
  private final BitSet dropped = new BitSet();
  private final Map<String, Long> fitted = new TreeMap<>();
  private String step = "";
  private String text = "";
  private byte[] data;
  private int from;
  private int to;
  private long defaults;

  /** Names the step that rejects from now on. */
  public void step(String path) {
    step = path;
  }

  /**
   * Rejections are from now on of the text {@code source[begin, end)} of a field.
   *
   * @param source null if it is not text
   */
  void reading(String field, byte[] source, int begin, int end) {
    text = field;
    data = source;
    from = begin;
    to = end;
  }

  /** Rejections are of the raw record, or of fields that have a name. */
  void readingRecords() {
    text = "";
    data = null;
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
      boolean whole = field.isEmpty() && !text.isEmpty();
      String shown = whole && data != null ? detail + ", in " + Excerpt.of(data, from, to) : detail;
      letters.add(record, reason, step, whole ? text : field, shown);
    }
  }

  /** Drops a record, which is counted; one that was rejected before stays so. */
  public void drop(int record) {
    if (!records.get(record)) {
      records.set(record);
      dropped.set(record);
    }
  }

  /** Notes that a value was none of its type, and another one was taken. */
  public void defaulted() {
    defaults++;
  }

  /** How often that was so. */
  public long defaults() {
    return defaults;
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
    return letters.count() + dropped.cardinality();
  }

  /** How many records were dropped. */
  public long dropped() {
    return dropped.cardinality();
  }

  /** How many were rejected for each reason. */
  public Map<Reason, Long> reasons() {
    return letters.reasons();
  }

  /**
   * The dead letters in the order of their records, with {@link
   * io.wexrun.core.dead.DeadLetter#SCHEMA}.
   *
   * @param version of the pipeline's text
   */
  public Batch letters(Records all, String version) {
    return letters.batch(all, version);
  }
}
