package io.wexrun.core.batch;

import java.util.Arrays;

/**
 * A column of values, some of which may be absent. Values are only added at the end; reading may go
 * on from several threads once nobody adds any more.
 *
 * <p>The layout is that of the Arrow columnar format: values in plain arrays, and a validity bitmap
 * with the bit of a present value set, least significant bit first. A vector in which nothing is
 * absent has no bitmap.
 */
public abstract sealed class Vector
    permits LongVector, DoubleVector, TextVector, ListVector, StructVector {
  private int size;
  private long[] validity;

  /** How many values there are, absent ones included. */
  public final int size() {
    return size;
  }

  /** Whether the value of a row is absent. */
  public final boolean absent(int row) {
    return validity != null && (validity[row >>> 6] & (1L << row)) == 0;
  }

  /** Whether some value may be absent. */
  public final boolean hasAbsent() {
    return validity != null;
  }

  /** The validity bitmap, 64 rows a word; only if {@link #hasAbsent()}; not to be changed. */
  public final long[] validity() {
    return validity;
  }

  /** Adds an absent value. */
  public abstract void appendAbsent();

  /** Adds the value of another vector's row; the other must be of the same class. */
  public abstract void appendFrom(Vector other, int row);

  /** Takes back the values from row {@code newSize} on. */
  public abstract void truncate(int newSize);

  /** About how many bytes the values take. */
  public abstract long bytes();

  /** About how many bytes of memory the vector holds, room that is not used included. */
  public abstract long allocated();

  /** Counts one more value and returns its row. */
  final int grow() {
    if (validity != null && size >>> 6 >= validity.length) {
      int words = validity.length;
      validity = Arrays.copyOf(validity, words * 2);
      Arrays.fill(validity, words, words * 2, -1L);
    }
    return size++;
  }

  /** Marks the value added last as absent. */
  final void lastIsAbsent() {
    int row = size - 1;
    if (validity == null) {
      validity = new long[(row >>> 6) + 4];
      Arrays.fill(validity, -1L);
    }
    validity[row >>> 6] &= ~(1L << row);
  }

  /** Forgets the rows from {@code newSize} on; their bits say "present" again. */
  final void shrink(int newSize) {
    if (validity != null) {
      for (int row = newSize; row < size; row++) {
        validity[row >>> 6] |= 1L << row;
      }
    }
    size = newSize;
  }
}
