package io.wexrun.core.field;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;

/** Bytes as a message shows them. */
public final class Excerpt {
  private static final int LONGEST = 60;

  private Excerpt() {}

  /** The bytes of {@code data[from, to)} in quotes, cut after sixty at a character's end. */
  public static String of(byte[] data, int from, int to) {
    int end = Math.min(to, from + LONGEST);
    while (end < to && end > from && (data[end] & 0xC0) == 0x80) {
      end--;
    }
    String text = new String(Arrays.copyOfRange(data, from, end), StandardCharsets.UTF_8);
    return "\"" + text + (end < to ? "…" : "") + "\"";
  }
}
