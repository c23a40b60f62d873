package io.wexrun.core.batch;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;

/** Byte strings one after the other, with offsets: UTF-8 text, or any bytes. */
public final class TextVector extends Vector {
  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

  /** How many rows tell how long the others will be. */
  private static final int SAMPLE = 64;

  private byte[] data;
  private int[] offsets;

  /** An empty vector with room for some rows and some bytes. */
  public TextVector(int room, int bytes) {
    data = new byte[Math.max(bytes, 16)];
    offsets = new int[Math.max(room, 8) + 1];
  }

  /** Adds a value, copied from {@code source[from, to)}. */
  public void append(byte[] source, int from, int to) {
    int row = grow();
    int start = offsets[row];
    int length = to - from;
    int end = start + length;
    if (end > data.length || end < 0 || row + 2 > offsets.length) {
      room(row, end);
    }
    // Two words are copied faster than up to sixteen bytes. What they write behind the value means
    // nothing: only bytes below the last offset count, and the next value overwrites it.
    if (length <= 16 && from + 16 <= source.length && start + 16 <= data.length) {
      WORDS.set(data, start, (long) WORDS.get(source, from));
      WORDS.set(data, start + 8, (long) WORDS.get(source, from + 8));
    } else {
      System.arraycopy(source, from, data, start, length);
    }
    offsets[row + 1] = end;
  }

  /** Adds a value. */
  public void append(String value) {
    byte[] utf8 = value.getBytes(StandardCharsets.UTF_8);
    append(utf8, 0, utf8.length);
  }

  @Override
  public void appendAbsent() {
    append(data, 0, 0);
    lastIsAbsent();
  }

  @Override
  public void appendFrom(Vector other, int row) {
    TextVector that = (TextVector) other;
    if (that.absent(row)) {
      appendAbsent();
    } else {
      append(that.data, that.offsets[row], that.offsets[row + 1]);
    }
  }

  private void room(int row, int bytes) {
    if (bytes < 0) {
      throw new OutOfMemoryError("a text column of one batch exceeds 2 GB");
    }
    if (bytes > data.length) {
      // The rows so far tell how much the rest will take; an eighth more saves a second growth.
      long foreseen = row < SAMPLE ? 0 : bytes * (long) (offsets.length - 1) / row * 9 / 8;
      long wanted = Math.max(bytes, Math.max(foreseen, data.length * 3L / 2));
      Growth.by(wanted - data.length);
      data = Arrays.copyOf(data, (int) Math.min(Integer.MAX_VALUE - 8, wanted));
    }
    if (row + 2 > offsets.length) {
      Growth.by(4L * offsets.length);
      offsets = Arrays.copyOf(offsets, offsets.length * 2);
    }
  }

  /** Where a row's bytes start in {@link #data()}. */
  public int start(int row) {
    return offsets[row];
  }

  /** Where a row's bytes end in {@link #data()}, exclusive. */
  public int end(int row) {
    return offsets[row + 1];
  }

  /** The bytes of all rows; not to be changed. */
  public byte[] data() {
    return data;
  }

  /** {@link #size()} + 1 offsets into {@link #data()}; not to be changed. */
  public int[] offsets() {
    return offsets;
  }

  /** The value of a row decoded from UTF-8; empty where absent. */
  public String text(int row) {
    return new String(data, offsets[row], offsets[row + 1] - offsets[row], StandardCharsets.UTF_8);
  }

  @Override
  public void truncate(int newSize) {
    shrink(newSize);
  }

  @Override
  public long allocated() {
    return data.length + 4L * offsets.length;
  }

  @Override
  public long bytes() {
    return offsets[size()] + 4L * size();
  }
}
