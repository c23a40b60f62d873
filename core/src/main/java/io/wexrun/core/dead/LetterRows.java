package io.wexrun.core.dead;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.intake.Former;
import io.wexrun.core.intake.Records;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Collects the dead letters of one block as rows with {@link DeadLetter#SCHEMA}. For one thread.
 */
public final class LetterRows {
  private record Row(
      int record,
      Reason reason,
      String step,
      String field,
      String detail,
      Optional<Former.Part> part) {}

  private final List<Row> rows = new ArrayList<>();

  /**
   * Adds a letter.
   *
   * @param record the record's number in the block, from 0
   */
  public void add(int record, Reason reason, String step, String field, String detail) {
    rows.add(new Row(record, reason, step, field, detail, Optional.empty()));
  }

  /** Adds a letter for one row of a record, of which others live. */
  public void add(int record, Reason reason, String step, String detail, Former.Part part) {
    rows.add(new Row(record, reason, step, "", detail, Optional.of(part)));
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
  public Batch batch(Records all, String version) {
    rows.sort(Comparator.comparingInt(Row::record));
    int count = rows.size();
    TextVector reasons = new TextVector(count, count * 12);
    TextVector steps = new TextVector(count, count * 16);
    TextVector fields = new TextVector(count, count * 8);
    TextVector details = new TextVector(count, count * 32);
    TextVector sources = new TextVector(count, count * 24);
    LongVector positions = new LongVector(count);
    TextVector versions = new TextVector(count, count * 16);
    Lives lives = new Lives(count);
    int[] records = new int[count];
    for (int i = 0; i < count; i++) {
      Row row = rows.get(i);
      records[i] = row.record;
      reasons.append(row.reason.code());
      steps.append(row.step);
      fields.append(row.field);
      details.append(row.detail);
      sources.append(all.source());
      positions.append(all.firstPosition(row.record));
      versions.append(version);
      lives.add(all, row.record, row.part);
    }
    List<Vector> columns = new ArrayList<>();
    columns.addAll(List.of(reasons, steps, fields, details, sources, positions, versions));
    columns.addAll(lives.columns());
    return new Batch(DeadLetter.SCHEMA, columns, count, all, records);
  }

  /** What is known of records beside why they died; of most nothing. */
  private static final class Lives {
    private final LongVector written;
    private final LongVector lines;
    private final TextVector members;
    private final TextVector hosts;
    private final LongVector deaths;
    private final LongVector died;
    private final TextVector parts;

    Lives(int count) {
      written = new LongVector(count);
      lines = new LongVector(count);
      members = new TextVector(count, 0);
      hosts = new TextVector(count, 0);
      deaths = new LongVector(count);
      died = new LongVector(count);
      parts = new TextVector(count, 0);
    }

    void add(Records all, int record, Optional<Former.Part> part) {
      long when = all.written(record);
      put(written, when == all.taken(record) ? 0 : when);
      put(lines, all.line(record));
      put(members, all.member());
      put(hosts, all.host());
      Optional<Former> former =
          all.areReplayed() ? Optional.of(all.former(record)) : Optional.empty();
      put(deaths, former.map(before -> before.deaths() + 1).orElse(0L));
      put(died, former.map(Former::died).orElse(0L));
      Optional<Former.Part> whole = former.flatMap(Former::part).or(() -> part);
      put(parts, whole.map(Former.Part::toString).orElse(""));
    }

    private static void put(LongVector column, long value) {
      if (value == 0) {
        column.appendAbsent();
      } else {
        column.append(value);
      }
    }

    private static void put(TextVector column, String value) {
      if (value.isEmpty()) {
        column.appendAbsent();
      } else {
        column.append(value);
      }
    }

    List<Vector> columns() {
      return List.of(written, lines, members, hosts, deaths, died, parts);
    }
  }
}
