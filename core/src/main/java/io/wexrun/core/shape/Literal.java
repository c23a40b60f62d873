package io.wexrun.core.shape;

import java.nio.charset.StandardCharsets;

/** Fixed text of a template. A blank in it stands for one or more blanks or tabs. */
final class Literal {
  private final String text;
  private final byte[] bytes;
  private final byte first;
  private final boolean single;

  Literal(String text) {
    this.text = text.replaceAll("[ \t]+", " ");
    this.bytes = this.text.getBytes(StandardCharsets.UTF_8);
    this.first = bytes[0];
    this.single = bytes.length == 1;
  }

  String text() {
    return text;
  }

  /** Where the text ends if it stands at {@code at} of {@code data[.., to)}; -1 if it does not. */
  int match(byte[] data, int at, int to) {
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
  static final long NOWHERE = -1;

  /** Where the text starts, from what {@link #locate} returned. */
  static int start(long located) {
    return (int) (located >>> 32);
  }

  /** Where the text ends, from what {@link #locate} returned. */
  static int end(long located) {
    return (int) located;
  }

  private static long located(int start, int end) {
    return (long) start << 32 | end;
  }

  /** Where the text first occurs in {@code data[from, to)}: start and end in one number. */
  long locate(byte[] data, int from, int to) {
    byte wanted = first;
    if (wanted == ' ') {
      for (int at = from; at < to; at++) {
        byte b = data[at];
        if (b == ' ' || b == '\t') {
          int end = match(data, at, to);
          if (end >= 0) {
            return located(at, end);
          }
        }
      }
      return NOWHERE;
    }
    for (int at = from; at < to; at++) {
      if (data[at] == wanted) {
        int end = single ? at + 1 : match(data, at, to);
        if (end >= 0) {
          return located(at, end);
        }
      }
    }
    return NOWHERE;
  }

  /**
   * Like {@link #locate}, for a text that starts with a quote: skips characters behind a backslash.
   */
  long locateUnescaped(byte[] data, int from, int to) {
    for (int at = from; at < to; at++) {
      byte b = data[at];
      if (b == '\\') {
        at++;
      } else if (b == first) {
        int end = single ? at + 1 : match(data, at, to);
        if (end >= 0) {
          return located(at, end);
        }
      }
    }
    return NOWHERE;
  }

  boolean startsWith(char c) {
    return text.charAt(0) == c;
  }

  boolean endsWith(char c) {
    return text.charAt(text.length() - 1) == c;
  }
}
