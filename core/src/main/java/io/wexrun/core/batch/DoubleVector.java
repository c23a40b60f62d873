package io.wexrun.core.batch;

import java.util.Arrays;

/** Binary floating-point numbers. */
public final class DoubleVector extends Vector {
  private double[] values;

  /** An empty vector with room for some rows. */
  public DoubleVector(int room) {
    values = new double[Math.max(room, 8)];
  }

  /** Adds a value. */
  public void append(double value) {
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
      append(((DoubleVector) other).values[row]);
    }
  }

  /** The value of a row; 0 where absent. */
  public double get(int row) {
    return values[row];
  }

  /** The values, at least {@link #size()} of them; not to be changed. */
  public double[] values() {
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
