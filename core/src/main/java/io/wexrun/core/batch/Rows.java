package io.wexrun.core.batch;

/**
 * Some rows of a batch, in order: what a target is handed. The rows are not copied until the target
 * writes them.
 */
public final class Rows {
  private final Batch batch;
  private final int[] selected;
  private final int count;

  private Rows(Batch batch, int[] selected, int count) {
    this.batch = batch;
    this.selected = selected;
    this.count = count;
  }

  /** All rows of a batch. */
  public static Rows all(Batch batch) {
    return new Rows(batch, null, batch.rows());
  }

  /** The first {@code count} rows named in {@code selected}, which must ascend. */
  public static Rows of(Batch batch, int[] selected, int count) {
    return count == batch.rows() ? all(batch) : new Rows(batch, selected, count);
  }

  /** The batch that holds the rows. */
  public Batch batch() {
    return batch;
  }

  /** How many rows there are. */
  public int count() {
    return count;
  }

  /** The batch's row of the row with number {@code i}, from 0. */
  public int row(int i) {
    return selected == null ? i : selected[i];
  }

  /** Whether these are all rows of the batch. */
  public boolean isAll() {
    return selected == null;
  }

  /**
   * How many rows from number {@code i} on follow each other in the batch, at least 1: they can be
   * copied at one go.
   */
  public int run(int i) {
    if (selected == null) {
      return count - i;
    }
    int last = i + 1;
    while (last < count && selected[last] == selected[last - 1] + 1) {
      last++;
    }
    return last - i;
  }

  /** The rows whose record has at least this position. */
  public Rows from(long position) {
    int first = 0;
    while (first < count && batch.position(row(first)) < position) {
      first++;
    }
    if (first == 0) {
      return this;
    }
    int[] rest = new int[count - first];
    for (int i = first; i < count; i++) {
      rest[i - first] = row(i);
    }
    return new Rows(batch, rest, rest.length);
  }

  /** About how many bytes the rows' columns take: their share of the batch. */
  public long bytes() {
    return batch.rows() == 0 ? 0 : batch.bytes() * count / batch.rows();
  }
}
