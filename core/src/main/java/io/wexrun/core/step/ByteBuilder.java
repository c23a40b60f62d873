package io.wexrun.core.step;

import java.util.Arrays;

/** Bytes that are put together. For one thread. */
final class ByteBuilder {
  private byte[] bytes = new byte[128];
  private int length;

  void clear() {
    length = 0;
  }

  int length() {
    return length;
  }

  /** The bytes; only the first {@link #length()} count. */
  byte[] bytes() {
    return bytes;
  }

  void add(int one) {
    room(1);
    bytes[length++] = (byte) one;
  }

  void add(byte[] more, int from, int to) {
    room(to - from);
    System.arraycopy(more, from, bytes, length, to - from);
    length += to - from;
  }

  void add(String ascii) {
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
