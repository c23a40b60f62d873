package io.wexrun.core.framing;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pattern.Search;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;

/**
 * Lines that are no records, such as comments and footers, left out. A record of several lines
 * loses those that stand at its begin and its end; between its lines they belong to it.
 *
 * @param begins what such lines begin with
 * @param matches an RE2 pattern that such lines match from their begin to their end, of which the
 *     first 4,096 bytes are looked at; empty if none does
 * @param inner how lines are cut
 */
public record Skipping(List<String> begins, String matches, Framing inner) implements Framing {
  private static final String NAME = "skipping\n";
  private static final int LOOKED_AT = 4096;

  /**
   * Copies the list.
   *
   * @throws IllegalArgumentException if what is written cannot be; the message says why
   */
  public Skipping {
    begins = List.copyOf(begins);
    if (begins.stream().anyMatch(text -> text.isEmpty() || text.contains("\n"))) {
      throw new IllegalArgumentException("what a line begins with is neither empty nor two lines");
    }
    if (matches.contains("\n")) {
      throw new IllegalArgumentException("a pattern of lines holds no line end");
    }
    try {
      Pattern.compile(matches);
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException(
          "'" + matches + "' is not a pattern: " + e.getDescription(), e);
    }
  }

  /**
   * A framing without lines that are no records.
   *
   * @return the inner one if there are none
   */
  public static Framing of(List<String> begins, String matches, Framing inner) {
    return begins.isEmpty() && matches.isEmpty() ? inner : new Skipping(begins, matches, inner);
  }

  /** The framing that a {@link #form} names; empty if it names none of these. */
  static Optional<Framing> named(String form) {
    if (!form.startsWith(NAME)) {
      return Optional.empty();
    }
    String[] parts = form.substring(NAME.length()).split("\n", -1);
    int rule = 0;
    while (!parts[rule].isEmpty()) {
      rule++;
    }
    List<String> begins = new ArrayList<>(Arrays.asList(parts).subList(0, rule));
    String matches = parts[rule + 1];
    String inner = String.join("\n", Arrays.asList(parts).subList(rule + 2, parts.length));
    return Framings.named(inner).map(framing -> new Skipping(begins, matches, framing));
  }

  @Override
  public String form() {
    String lines = begins.isEmpty() ? "" : String.join("\n", begins) + "\n";
    return NAME + lines + "\n" + matches + "\n" + inner.form();
  }

  @Override
  public int end(byte[] data, int known, int length) {
    return inner.end(data, known, length);
  }

  @Override
  public Records cut(Block block) {
    Records records = inner.cut(block);
    Lines lines = new Lines(block.data());
    boolean groups = inner instanceof LineGroups;
    int[] starts = new int[records.count()];
    int[] ends = new int[records.count()];
    BitSet odd = new BitSet();
    int count = 0;
    for (int record = 0; record < records.count(); record++) {
      lines.from = records.start(record);
      lines.to = records.end(record);
      if (groups) {
        lines.trim();
      }
      if (groups ? lines.from < lines.to : !lines.skipped(lines.from, lines.to)) {
        odd.set(count, !records.ascii(record));
        starts[count] = lines.from;
        ends[count++] = lines.to;
      }
    }
    Records left = Records.atBytes(block.data(), starts, ends, count, block.first(), odd);
    return records.areLines() ? left.asLines() : left;
  }

  /** The lines of one record after the other. For one thread. */
  private final class Lines {
    private final byte[] data;
    private final List<byte[]> prefixes =
        begins.stream().map(text -> text.getBytes(StandardCharsets.UTF_8)).toList();
    private final Search pattern = matches.isEmpty() ? null : Search.of(Pattern.compile(matches));
    private int from;
    private int to;

    Lines(byte[] data) {
      this.data = data;
    }

    /** Leaves out lines at both ends. */
    void trim() {
      while (from < to) {
        int next = Newline.BYTE.after(data, from, to);
        if (!skipped(from, textEnd(from, next < 0 ? to : next))) {
          break;
        }
        from = next < 0 ? to : next;
      }
      while (from < to) {
        int last = Math.max(from, lineFeedBefore(to) + 1);
        if (!skipped(last, to)) {
          break;
        }
        to = last == from ? from : textEnd(from, last);
      }
    }

    private int lineFeedBefore(int place) {
      int at = place - 1;
      while (at >= from && data[at] != '\n') {
        at--;
      }
      return at;
    }

    /** A line without its end. */
    private int textEnd(int start, int end) {
      int text = end > start && data[end - 1] == '\n' ? end - 1 : end;
      return text < end && text > start && data[text - 1] == '\r' ? text - 1 : text;
    }

    boolean skipped(int start, int end) {
      for (byte[] prefix : prefixes) {
        if (end - start >= prefix.length
            && Arrays.equals(data, start, start + prefix.length, prefix, 0, prefix.length)) {
          return true;
        }
      }
      return pattern != null && pattern.matches(data, start, Math.min(end, start + LOOKED_AT));
    }
  }
}
