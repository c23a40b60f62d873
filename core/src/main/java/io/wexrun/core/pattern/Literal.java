package io.wexrun.core.pattern;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;

/**
 * Fixed text of a template. A blank in it stands for one or more blanks or tabs.
 *
 * <p>It is searched sixteen bytes at a time: those that may be its first are marked, each by a bit,
 * and compared with as much of the text as fits into a word. So the usual field, which is shorter
 * than that, is found without a branch that depends on its length.
 */
public final class Literal {
  /** What escapes. */
  public static final Literal BACKSLASH = new Literal("\\");

  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final long ONES = 0x0101010101010101L;
  private static final long HIGHS = 0x8080808080808080L;

  private final String text;
  private final byte[] bytes;

  /** In each byte: what the text may start with, and how much above that is looked at as well. */
  private final long wanted;

  private final long limits;

  /** As many of the text's bytes as fit into a word, and which bits of it they are. */
  private final long head;

  private final long mask;
  private final boolean hasBlanks;

  private final boolean endsInBlank;

  public Literal(String text) {
    this.text = text.replaceAll("[ \t]+", " ");
    this.bytes = this.text.getBytes(StandardCharsets.UTF_8);
    boolean blank = bytes[0] == ' ';
    // Bytes from 0 to 32 are looked at for a blank, since it may be a tab; else one byte only.
    wanted = blank ? 0 : (bytes[0] & 0xFF) * ONES;
    limits = (blank ? ' ' + 1 : 1) * ONES;
    int heading = Math.min(8, bytes.length);
    long word = 0;
    for (int i = heading - 1; i >= 0; i--) {
      word = word << 8 | bytes[i] & 0xFF;
    }
    head = word;
    mask = -1L >>> 64 - 8 * heading;
    hasBlanks = this.text.indexOf(' ') >= 0;
    endsInBlank = bytes[bytes.length - 1] == ' ';
  }

  public String text() {
    return text;
  }

  /** Where the text ends if it stands at {@code at} of {@code data[.., to)}; -1 if it does not. */
  public int match(byte[] data, int at, int to) {
    for (byte wanted : bytes) {
      if (at >= to) {
        return -1;
      }
      byte b = data[at++];
      if (wanted != ' ') {
        if (b != wanted) {
          return -1;
        }
      } else {
        if (b != ' ' && b != '\t') {
          return -1;
        }
        while (at < to && (data[at] == ' ' || data[at] == '\t')) {
          at++;
        }
      }
    }
    return at;
  }

  /** What {@link #locate} returns if the text is nowhere. */
  public static final long NOWHERE = -1;

  /** Where the text starts, from what {@link #locate} returned. */
  public static int start(long located) {
    return (int) (located >>> 32);
  }

  /** Where the text ends, from what {@link #locate} returned. */
  public static int end(long located) {
    return (int) located;
  }

  private static long located(int start, int end) {
    return (long) start << 32 | end;
  }

  /** Where the text first occurs in {@code data[from, to)}: start and end in one number. */
  public long locate(byte[] data, int from, int to) {
    int at = from;
    // Invariant: the text starts nowhere in [from, at). A word may be read at each marked place.
    for (int last = data.length - 15; at < to && at < last; at += 8) {
      long x = (long) WORDS.get(data, at) ^ wanted;
      // The high bit of a byte of `x | HIGHS` survives the subtraction, without a borrow from the
      // next, if the byte's other bits are not below the limit.
      long marks = ~((x | HIGHS) - limits | x) & HIGHS;
      for (; marks != 0; marks &= marks - 1) {
        int place = at + (Long.numberOfTrailingZeros(marks) >>> 3);
        boolean fits = (((long) WORDS.get(data, place) ^ head) & mask) == 0;
        int end = place + bytes.length;
        if (fits && endsInBlank) {
          while (end < to && (data[end] == ' ' || data[end] == '\t')) {
            end++;
          }
        }
        if (!fits || bytes.length > 8) {
          end = fits || hasBlanks ? match(data, place, to) : -1;
        }
        if (end >= 0) {
          return end <= to ? located(place, end) : NOWHERE;
        }
      }
    }
    for (; at < to; at++) {
      int end = match(data, at, to);
      if (end >= 0) {
        return located(at, end);
      }
    }
    return NOWHERE;
  }

  /**
   * Like {@link #locate}, for a text that starts with a quote: skips characters behind a backslash.
   *
   * @param found what {@link #locate} returned
   */
  public long locateUnescaped(long found, byte[] data, int from, int to) {
    int slash = BACKSLASH.indexOf(data, from, found == NOWHERE ? to : start(found));
    if (slash < 0) {
      return found;
    }
    for (int at = slash; at < to; at++) {
      int end = data[at] == '\\' ? -1 : match(data, at, to);
      if (end >= 0) {
        return located(at, end);
      }
      at += data[at] == '\\' ? 1 : 0;
    }
    return NOWHERE;
  }

  /** Where the text first starts in {@code data[from, to)}; -1 if nowhere. */
  public int indexOf(byte[] data, int from, int to) {
    long found = locate(data, from, to);
    return found == NOWHERE ? -1 : start(found);
  }

  public boolean startsWith(char c) {
    return text.charAt(0) == c;
  }

  public boolean endsWith(char c) {
    return text.charAt(text.length() - 1) == c;
  }
}
