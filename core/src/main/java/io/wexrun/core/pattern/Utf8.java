package io.wexrun.core.pattern;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;

/** Strict validation of UTF-8 as in RFC 3629, and its characters. */
public final class Utf8 {
  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final long HIGHS = 0x8080808080808080L;

  private Utf8() {}

  /** The place of the first byte that is not UTF-8 in {@code data[from, to)}; -1 if all is well. */
  public static int firstFault(byte[] data, int from, int to) {
    int at = from;
    while (at < to) {
      int lead = data[at];
      if (lead >= 0) {
        at++;
        while (at + 8 <= to && ((long) WORDS.get(data, at) & HIGHS) == 0) {
          at += 8; // Nothing but ASCII.
        }
        continue;
      }
      int more = more(lead & 0xFF);
      if (more == 0 || at + more >= to || !secondFits(lead & 0xFF, data[at + 1] & 0xFF)) {
        return at;
      }
      for (int i = 2; i <= more; i++) {
        if ((data[at + i] & 0xC0) != 0x80) {
          return at;
        }
      }
      at += more + 1;
    }
    return -1;
  }

  /** How many code points valid UTF-8 has: every byte but those that go on with one begins one. */
  public static int length(byte[] data, int from, int to) {
    int points = 0;
    for (int at = from; at < to; at++) {
      points += (data[at] & 0xC0) != 0x80 ? 1 : 0;
    }
    return points;
  }

  private static int more(int lead) {
    if (lead >= 0xC2 && lead <= 0xDF) {
      return 1;
    }
    if (lead >= 0xE0 && lead <= 0xEF) {
      return 2;
    }
    return lead >= 0xF0 && lead <= 0xF4 ? 3 : 0;
  }

  /** RFC 3629 section 4: no overlong forms, no surrogates, nothing above U+10FFFF. */
  private static boolean secondFits(int lead, int second) {
    int least = lead == 0xE0 ? 0xA0 : lead == 0xF0 ? 0x90 : 0x80;
    int most = lead == 0xED ? 0x9F : lead == 0xF4 ? 0x8F : 0xBF;
    return second >= least && second <= most;
  }
}
