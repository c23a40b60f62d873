package io.wexrun.core.shape;

import java.nio.charset.StandardCharsets;

/** Fixed text of a template. A blank in it stands for one or more blanks or tabs. */
final class Literal {
  private final String text;
  private final byte[] bytes;

  Literal(String text) {
    this.text = text.replaceAll("[ \t]+", " ");
    this.bytes = this.text.getBytes(StandardCharsets.UTF_8);
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

  /** Where the text first starts in {@code data[from, to)}; -1 if nowhere. */
  int find(byte[] data, int from, int to) {
    byte first = bytes[0];
    if (first == ' ') {
      for (int at = from; at < to; at++) {
        if ((data[at] == ' ' || data[at] == '\t')
            && (bytes.length == 1 || match(data, at, to) >= 0)) {
          return at;
        }
      }
      return -1;
    }
    for (int at = from; at < to; at++) {
      if (data[at] == first && (bytes.length == 1 || match(data, at, to) >= 0)) {
        return at;
      }
    }
    return -1;
  }

  /**
   * Like {@link #find}, for a text that starts with a quote: skips characters behind a backslash.
   */
  int findUnescaped(byte[] data, int from, int to) {
    for (int at = from; at < to; at++) {
      if (data[at] == '\\') {
        at++;
      } else if (data[at] == bytes[0] && match(data, at, to) >= 0) {
        return at;
      }
    }
    return -1;
  }

  boolean startsWith(char c) {
    return text.charAt(0) == c;
  }

  boolean endsWith(char c) {
    return text.charAt(text.length() - 1) == c;
  }
}
