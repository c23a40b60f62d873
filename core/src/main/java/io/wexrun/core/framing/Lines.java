package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;
import java.util.BitSet;

/**
 * Text lines: a record ends at LF or CR LF, which do not belong to it. Bytes after the last line
 * end are a record too; who makes the block decides whether it has any. The position of a line is
 * the place of its first byte.
 */
public final class Lines {
  /** The framing of lines. */
  public static final Framing FRAMING =
      new Framing() {
        @Override
        public Records cut(Block block) {
          return new Lines(block).cut();
        }

        @Override
        public String form() {
          return "lines";
        }
      };

  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final long ONES = 0x0101010101010101L;
  private static final long HIGHS = 0x8080808080808080L;
  private static final long LINE_FEEDS = ONES * '\n';

  private final Block block;
  private final byte[] data;
  private final int length;
  private int[] starts;
  private int[] ends;
  private int count;
  private int start;

  /** The records, in order, that hold a byte above 127. */
  private final BitSet odd = new BitSet();

  private Lines(Block block) {
    this.block = block;
    data = block.data();
    length = block.length();
    starts = new int[length / 64 + 16];
    ends = new int[starts.length];
  }

  private Records cut() {
    int at = 0;
    // Invariant: the lines that end before `at` are noted, and the next one begins at `start`.
    // Every
    // line feed in a word sets the high bit of its byte in hit; the byte above a line feed may set
    // its own falsely, so each candidate is looked at. A byte above 127 marks the line that is open
    // at the word's end and those that end in the word: one too many, never one too few.
    for (int last = length - 8; at <= last; at += 8) {
      long word = (long) WORDS.get(data, at);
      long x = word ^ LINE_FEEDS;
      long hit = (x - ONES) & ~x & HIGHS;
      int before = count;
      while (hit != 0) {
        int place = at + (Long.numberOfTrailingZeros(hit) >>> 3);
        if (data[place] == '\n') {
          note(place);
        }
        hit &= hit - 1;
      }
      if ((word & HIGHS) != 0) {
        odd.set(before, count + 1);
      }
    }
    for (; at < length; at++) {
      if (data[at] < 0) {
        odd.set(count);
      }
      if (data[at] == '\n') {
        note(at);
      }
    }
    if (start < length) {
      noteTo(length);
    }
    return Records.atBytes(data, starts, ends, count, block.first(), odd).asLines();
  }

  /** A line ends before a line feed. */
  private void note(int lineFeed) {
    boolean returned = lineFeed > start && data[lineFeed - 1] == '\r';
    noteTo(returned ? lineFeed - 1 : lineFeed);
    start = lineFeed + 1;
  }

  private void noteTo(int end) {
    if (count == ends.length) {
      starts = Arrays.copyOf(starts, count * 2);
      ends = Arrays.copyOf(ends, count * 2);
    }
    starts[count] = start;
    ends[count++] = end;
  }
}
