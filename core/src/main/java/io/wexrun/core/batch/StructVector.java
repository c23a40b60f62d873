package io.wexrun.core.batch;

import java.util.List;

/**
 * Named values: a vector for each field. A row is added in two steps: a value to each field, then
 * {@link #append()}.
 */
public final class StructVector extends Vector {
  private final List<Vector> fields;

  /** An empty vector of empty fields. */
  public StructVector(List<Vector> fields) {
    this.fields = List.copyOf(fields);
  }

  /** The fields in the order of the type. */
  public List<Vector> fields() {
    return fields;
  }

  /** Adds the row of the values that were added to each field. */
  public void append() {
    grow();
  }

  @Override
  public void appendAbsent() {
    fields.forEach(Vector::appendAbsent);
    grow();
    lastIsAbsent();
  }

  @Override
  public void appendFrom(Vector other, int row) {
    StructVector that = (StructVector) other;
    if (that.absent(row)) {
      appendAbsent();
      return;
    }
    for (int i = 0; i < fields.size(); i++) {
      fields.get(i).appendFrom(that.fields.get(i), row);
    }
    append();
  }

  @Override
  public void truncate(int newSize) {
    shrink(newSize);
    fields.forEach(field -> field.truncate(Math.min(newSize, field.size())));
  }

  @Override
  public long allocated() {
    return fields.stream().mapToLong(Vector::allocated).sum();
  }

  @Override
  public long bytes() {
    return fields.stream().mapToLong(Vector::bytes).sum();
  }
}
