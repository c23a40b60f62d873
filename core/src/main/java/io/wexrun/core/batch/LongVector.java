package io.wexrun.core.batch;

import java.util.Arrays;

/** Whole numbers, booleans (0, 1), instants, dates and unscaled decimals. */
public final class LongVector extends Vector {
  private long[] values;

  /** An empty vector with room for some rows. */
  public LongVector(int room) {
    values = new long[Math.max(room, 8)];
  }

  /** Adds a value. */
  public void append(long value) {
    int row = grow();
    if (row == values.length) {
      Growth.by(8L * row);
      values = Arrays.copyOf(values, row * 2);
    }
    values[row] = value;
  }

  @Override
  public void appendAbsent() {
    append(0);
    lastIsAbsent();
  }

  @Override
  public void appendFrom(Vector other, int row) {
    if (other.absent(row)) {
      appendAbsent();
    } else {
      append(((LongVector) other).values[row]);
    }
  }

  /** The value of a row; 0 where absent. */
  public long get(int row) {
    return values[row];
  }

  /** The values, at least {@link #size()} of them; not to be changed. */
  public long[] values() {
    return values;
  }

  @Override
  public void truncate(int newSize) {
    shrink(newSize);
  }

  @Override
  public long allocated() {
    return 8L * values.length;
  }

  @Override
  public long bytes() {
    return 8L * size();
  }
}
