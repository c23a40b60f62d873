package io.wexrun.core.framing;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;

/** Tells whether bytes are ASCII, eight at a time. */
public final class Ascii {
  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

  private Ascii() {}

  /** Whether every byte of {@code data[from, to)} is below 128. */
  public static boolean all(byte[] data, int from, int to) {
    long seen = 0;
    int at = from;
    for (; at <= to - 8; at += 8) {
      seen |= (long) WORDS.get(data, at);
    }
    for (; at < to; at++) {
      seen |= data[at];
    }
    return (seen & 0x8080808080808080L) == 0;
  }
}
