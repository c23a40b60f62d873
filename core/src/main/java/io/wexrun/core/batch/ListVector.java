package io.wexrun.core.batch;

import java.util.Arrays;

/**
 * Lists of values: the elements of all rows one after the other in one vector, with offsets. A row
 * is added in two steps: its elements to {@link #elements()}, then {@link #append()}.
 */
public final class ListVector extends Vector {
  private final Vector elements;
  private int[] offsets;

  /** An empty vector with room for some rows, whose elements go into {@code elements}. */
  public ListVector(int room, Vector elements) {
    this.elements = elements;
    this.offsets = new int[Math.max(room, 8) + 1];
  }

  /** The elements of all rows; those added are of the row that {@link #append()} adds next. */
  public Vector elements() {
    return elements;
  }

  /** Adds the list of the elements that were added since the last row. */
  public void append() {
    int row = grow();
    if (row + 2 > offsets.length) {
      Growth.by(4L * offsets.length);
      offsets = Arrays.copyOf(offsets, offsets.length * 2);
    }
    offsets[row + 1] = elements.size();
  }

  @Override
  public void appendAbsent() {
    append();
    lastIsAbsent();
  }

  @Override
  public void appendFrom(Vector other, int row) {
    ListVector that = (ListVector) other;
    if (that.absent(row)) {
      appendAbsent();
      return;
    }
    for (int i = that.start(row); i < that.end(row); i++) {
      elements.appendFrom(that.elements, i);
    }
    append();
  }

  /** The first element of a row in {@link #elements()}. */
  public int start(int row) {
    return offsets[row];
  }

  /** Where a row's elements end in {@link #elements()}, exclusive. */
  public int end(int row) {
    return offsets[row + 1];
  }

  @Override
  public void truncate(int newSize) {
    shrink(newSize);
    elements.truncate(offsets[newSize]);
  }

  @Override
  public long allocated() {
    return elements.allocated() + 4L * offsets.length;
  }

  @Override
  public long bytes() {
    return elements.bytes() + 4L * size();
  }
}
