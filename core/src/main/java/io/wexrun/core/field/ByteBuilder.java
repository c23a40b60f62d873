package io.wexrun.core.field;

import java.util.Arrays;

/** Bytes that are put together. For one thread. */
public final class ByteBuilder {
  private byte[] bytes = new byte[128];
  private int length;

  public void clear() {
    length = 0;
  }

  public int length() {
    return length;
  }

  /** The bytes; only the first {@link #length()} count. */
  public byte[] bytes() {
    return bytes;
  }

  public void add(int one) {
    room(1);
    bytes[length++] = (byte) one;
  }

  public void add(byte[] more, int from, int to) {
    room(to - from);
    System.arraycopy(more, from, bytes, length, to - from);
    length += to - from;
  }

  public void add(String ascii) {
    for (int i = 0; i < ascii.length(); i++) {
      add(ascii.charAt(i));
    }
  }

  private void room(int more) {
    if (length + more > bytes.length) {
      bytes = Arrays.copyOf(bytes, Math.max(length + more, bytes.length * 2));
    }
  }
}
