package io.wexrun.core.intake;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;

/**
 * Text lines: a record ends at LF or CR LF, which do not belong to it. Bytes after the last line
 * end are a record too; who makes the block decides whether it has any. The position of a line is
 * the place of its first byte.
 */
public final class Lines {
  /** The framing of lines. */
  public static final Framing FRAMING = Lines::cut;

  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final long ONES = 0x0101010101010101L;
  private static final long HIGHS = 0x8080808080808080L;
  private static final long LINE_FEEDS = ONES * '\n';

  private Lines() {}

  private static Records cut(Block block) {
    byte[] data = block.data();
    int length = block.length();
    int[] ends = new int[length / 64 + 16];
    int count = 0;
    long seen = 0;
    int at = 0;
    // Invariant: ends[0..count) are the places of the line feeds in data[0..at), and seen is the
    // bitwise or of all words before at. Every line feed in a word sets the high bit of its byte in
    // hit; the byte above a line feed may set its own falsely, so each candidate is looked at.
    for (int last = length - 8; at <= last; at += 8) {
      long word = (long) WORDS.get(data, at);
      seen |= word;
      long x = word ^ LINE_FEEDS;
      long hit = (x - ONES) & ~x & HIGHS;
      while (hit != 0) {
        int place = at + (Long.numberOfTrailingZeros(hit) >>> 3);
        if (data[place] == '\n') {
          if (count == ends.length) {
            ends = Arrays.copyOf(ends, count * 2);
          }
          ends[count++] = place;
        }
        hit &= hit - 1;
      }
    }
    for (; at < length; at++) {
      seen |= data[at];
      if (data[at] == '\n') {
        if (count == ends.length) {
          ends = Arrays.copyOf(ends, count * 2);
        }
        ends[count++] = at;
      }
    }
    if (count == 0 || ends[count - 1] != length - 1) {
      if (length > 0) {
        ends = count == ends.length ? Arrays.copyOf(ends, count + 1) : ends;
        ends[count++] = length;
      }
    }
    int[] starts = new int[count];
    int start = 0;
    for (int i = 0; i < count; i++) {
      starts[i] = start;
      int end = ends[i];
      start = end + 1;
      ends[i] = end > starts[i] && end < length && data[end - 1] == '\r' ? end - 1 : end;
    }
    return Records.atBytes(data, starts, ends, count, block.first(), (seen & HIGHS) == 0);
  }
}
