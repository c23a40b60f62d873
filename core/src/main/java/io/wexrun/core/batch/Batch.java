package io.wexrun.core.batch;

import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Schema;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * Rows in columns with one schema. Every row knows the record that it came from, and so its
 * position and its original bytes.
 *
 * <p>Vectors are shared between batches and not changed once they are in one. Safe to read from
 * several threads.
 */
public final class Batch {
  private final Schema schema;
  private final List<Vector> columns;
  private final int rows;
  private final Records records;
  private final int[] recordOfRow;

  /**
   * Makes a batch.
   *
   * @param schema the columns' names and types
   * @param columns as many vectors as the schema has columns, each of {@code rows} values
   * @param rows how many rows there are
   * @param records the records they come from
   * @param recordOfRow the record of each row, ascending; at least {@code rows} of them
   */
  public Batch(Schema schema, List<Vector> columns, int rows, Records records, int[] recordOfRow) {
    if (schema.size() != columns.size()) {
      throw new IllegalArgumentException(columns.size() + " vectors for " + schema);
    }
    for (int i = 0; i < columns.size(); i++) {
      if (columns.get(i).size() != rows) {
        throw new IllegalArgumentException(
            schema.column(i) + " has " + columns.get(i).size() + " values for " + rows + " rows");
      }
    }
    this.schema = schema;
    this.columns = List.copyOf(columns);
    this.rows = rows;
    this.records = records;
    this.recordOfRow = recordOfRow;
  }

  /** The records themselves as a batch without columns, one row for each. */
  public static Batch raw(Records records) {
    int[] rows = new int[records.count()];
    for (int i = 0; i < rows.length; i++) {
      rows[i] = i;
    }
    return new Batch(Schema.EMPTY, List.of(), rows.length, records, rows);
  }

  /** Rows that come from no records, such as those of a table. */
  public static Batch ofNoRecords(Schema schema, List<Vector> columns, int rows) {
    Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    return new Batch(schema, columns, rows, one, new int[rows]);
  }

  /** The columns' names and types. */
  public Schema schema() {
    return schema;
  }

  /** How many rows there are. */
  public int rows() {
    return rows;
  }

  /** The column at a place of the schema. */
  public Vector column(int place) {
    return columns.get(place);
  }

  /** All columns in the schema's order. */
  public List<Vector> columns() {
    return columns;
  }

  /** The raw records behind the rows. */
  public Records records() {
    return records;
  }

  /** Which record a row comes from. */
  public int record(int row) {
    return recordOfRow[row];
  }

  /** The position of the record that a row comes from. */
  public long position(int row) {
    return records.position(recordOfRow[row]);
  }

  /** This batch with other columns for the same rows. */
  public Batch with(Schema otherSchema, List<Vector> otherColumns) {
    return new Batch(otherSchema, otherColumns, rows, records, recordOfRow);
  }

  /** This batch with one column put in the place of its namesake, or at the end. */
  public Batch with(Schema changed, int place, Vector column) {
    return with(changed, Map.of(changed.column(place).name(), column));
  }

  /**
   * This batch with columns put in the places of their namesakes, or behind the others.
   *
   * @param changed this batch's columns in their places, and the new ones in the order of {@code
   *     added}
   * @param added columns of as many values as this batch has rows, by their names
   */
  public Batch with(Schema changed, Map<String, ? extends Vector> added) {
    List<Vector> all = new ArrayList<>(columns);
    added.forEach(
        (name, column) -> {
          int place = changed.find(name).orElseThrow();
          if (place < all.size()) {
            all.set(place, column);
          } else {
            all.add(column);
          }
        });
    return with(changed, all);
  }

  /** The first {@code count} of the rows named in {@code selected}, which ascend. */
  public Batch only(int[] selected, int count) {
    if (count == rows) {
      return this;
    }
    List<Vector> fewer = new ArrayList<>();
    int[] recordsOfFewer = new int[count];
    for (int i = 0; i < count; i++) {
      recordsOfFewer[i] = recordOfRow[selected[i]];
    }
    for (int c = 0; c < columns.size(); c++) {
      Vector some = Vectors.forType(schema.column(c).type(), count);
      for (int i = 0; i < count; i++) {
        some.appendFrom(columns.get(c), selected[i]);
      }
      fewer.add(some);
    }
    return new Batch(schema, fewer, count, records, recordsOfFewer);
  }

  /** About how many bytes of memory the columns hold, room that is not used included. */
  public long allocated() {
    return columns.stream().mapToLong(Vector::allocated).sum() + 8L * rows;
  }

  /** About how many bytes the columns take. */
  public long bytes() {
    long sum = 0;
    for (Vector column : columns) {
      sum += column.bytes();
    }
    return sum;
  }
}
