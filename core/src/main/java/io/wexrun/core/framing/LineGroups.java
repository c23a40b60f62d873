package io.wexrun.core.framing;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pattern.Search;
import java.util.BitSet;
import java.util.Locale;
import java.util.Optional;

/**
 * Records of several lines, such as an event with its stack trace: a line tells by an RE2 pattern
 * whether a record begins with it, goes on with it, or ends with it. Lines end at LF or CR LF; the
 * last one's end does not belong to the record.
 *
 * @param rule what a line tells that the pattern is found in
 * @param pattern looked for at the start of a line; with {@link Rule#ENDS}, anywhere in it
 */
record LineGroups(Rule rule, Search pattern) implements Framing {
  /** What a line tells. */
  enum Rule {
    /** A record begins with it. */
    BEGINS,
    /** It belongs to the record of the line before. */
    CONTINUES,
    /** A record ends with it. */
    ENDS;

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** So much of a line is looked at. */
  private static final int LOOKED_AT = 4096;

  /**
   * The framing of a rule.
   *
   * @throws IllegalArgumentException if the pattern is none; the message says why
   */
  static LineGroups of(Rule rule, String pattern) {
    try {
      return new LineGroups(rule, Search.of(Pattern.compile(pattern)));
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException(
          "'" + pattern + "' is not a pattern: " + e.getDescription(), e);
    }
  }

  /** The framing that a {@link #form} names; empty if it names none of these. */
  static Optional<Framing> named(String form) {
    for (Rule rule : Rule.values()) {
      if (form.startsWith(rule + " ")) {
        return Optional.of(of(rule, form.substring(rule.toString().length() + 1)));
      }
    }
    return Optional.empty();
  }

  @Override
  public String form() {
    return rule + " " + pattern.text();
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof LineGroups groups && groups.form().equals(form());
  }

  @Override
  public int hashCode() {
    return form().hashCode();
  }

  private boolean found(byte[] data, int from, int to) {
    int end = Math.min(to, from + LOOKED_AT);
    return rule == Rule.ENDS ? pattern.isIn(data, from, end) : pattern.begins(data, from, end);
  }

  /** Whether a record begins with a line that another one stands before. */
  private boolean begins(byte[] data, int from, int to) {
    return found(data, from, to) == (rule == Rule.BEGINS);
  }

  /**
   * Where the last record ends of which it is seen that it does: before the last line that begins
   * one, or behind the last one that ends one.
   */
  @Override
  public int end(byte[] data, int known, int length) {
    int lineEnd = lineFeedBefore(data, length);
    while (lineEnd >= 0 && lineEnd + 1 > known) {
      int start = lineFeedBefore(data, lineEnd) + 1;
      if (rule == Rule.ENDS) {
        if (found(data, start, textEnd(data, start, lineEnd))) {
          return lineEnd + 1;
        }
      } else if (start > 0 && begins(data, start, textEnd(data, start, lineEnd))) {
        return start;
      }
      lineEnd = start - 1;
    }
    return 0;
  }

  private static int lineFeedBefore(byte[] data, int place) {
    int at = place - 1;
    while (at >= 0 && data[at] != '\n') {
      at--;
    }
    return at;
  }

  private static int textEnd(byte[] data, int start, int lineFeed) {
    return lineFeed > start && data[lineFeed - 1] == '\r' ? lineFeed - 1 : lineFeed;
  }

  @Override
  public Records cut(Block block) {
    Records lines = Lines.FRAMING.cut(block);
    byte[] data = block.data();
    int count = 0;
    int[] starts = new int[lines.count()];
    int[] ends = new int[lines.count()];
    BitSet odd = new BitSet();
    boolean open = false;
    for (int i = 0; i < lines.count(); i++) {
      int start = lines.start(i);
      int end = lines.end(i);
      boolean goesOn = open && (rule == Rule.ENDS || !begins(data, start, end));
      if (!goesOn) {
        starts[count++] = start;
      }
      ends[count - 1] = end;
      if (!Ascii.all(data, start, end)) {
        odd.set(count - 1);
      }
      open = rule != Rule.ENDS || !found(data, start, end);
    }
    return Records.atBytes(data, starts, ends, count, block.first(), odd).asLines();
  }
}
