package io.wexrun.core.diagnose;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;

/**
 * Texts from outside as people may see them: on one line, without what would steer a terminal, and
 * without secrets that this process knows. For several threads.
 */
public final class Shown {
  /** A shorter one is in every other word. */
  private static final int SHORTEST = 4;

  private static final String MASK = "***";

  private static volatile List<String> secrets = List.of();

  private Shown() {}

  /** From now on a value is masked wherever something is told; for the life of the process. */
  public static synchronized void hide(String secret) {
    if (secret.length() < SHORTEST || secrets.contains(secret)) {
      return;
    }
    List<String> all = new ArrayList<>(secrets);
    all.add(secret);
    // The longest first: one may begin another.
    all.sort(Comparator.comparingInt(String::length).reversed());
    secrets = List.copyOf(all);
  }

  /** A text without secrets. */
  public static String masked(String text) {
    String masked = text;
    if (masked != null) {
      for (String secret : secrets) {
        masked = masked.replace(secret, MASK);
      }
    }
    return masked;
  }

  /** A text on one line: controls and what steers the direction of text are written out. */
  public static String line(String text) {
    if (text.codePoints().noneMatch(code -> code == '\n' || code == '\t' || steers(code))) {
      return text;
    }
    StringBuilder line = new StringBuilder(text.length() + 16);
    text.codePoints()
        .forEach(
            code -> {
              switch (code) {
                case '\n' -> line.append("\\n");
                case '\r' -> line.append("\\r");
                case '\t' -> line.append("\\t");
                default -> {
                  if (steers(code)) {
                    line.append(written(code));
                  } else {
                    line.appendCodePoint(code);
                  }
                }
              }
            });
    return line.toString();
  }

  /**
   * A character that is not to be seen as it is, as it is written: {@code \x1b}, a backslash with
   * {@code u202e}.
   */
  public static String written(int code) {
    return String.format(Locale.ROOT, code < 0x100 ? "\\x%02x" : "\\u%04x", code);
  }

  /** Whether a character steers a terminal or hides what is there; not a line feed or a tab. */
  public static boolean steers(int code) {
    if (code == '\n' || code == '\t') {
      return false;
    }
    int type = Character.getType(code);
    return type == Character.CONTROL
        || type == Character.FORMAT
        || type == Character.LINE_SEPARATOR
        || type == Character.PARAGRAPH_SEPARATOR
        || type == Character.SURROGATE;
  }
}
