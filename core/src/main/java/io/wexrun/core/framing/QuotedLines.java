package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;

/**
 * Lines whose values may stand in double quotes and then hold line ends, as in RFC 4180. A quote
 * opens at the start of a value: of the record, or behind a comma, semicolon, tab or bar.
 */
public final class QuotedLines implements Framing {
  /** The framing of quoted lines. */
  public static final Framing FRAMING = new QuotedLines();

  private QuotedLines() {}

  /**
   * Where the record that starts at {@code from} ends, its line feed included; -1 if it does not
   * end before {@code to}.
   */
  private static int recordEnd(byte[] data, int from, int to) {
    boolean starts = true;
    boolean quoted = false;
    for (int at = from; at < to; at++) {
      byte b = data[at];
      if (quoted) {
        if (b == '"' && at + 1 < to && data[at + 1] == '"') {
          at++;
        } else if (b == '"') {
          quoted = false;
        }
      } else if (b == '"' && starts) {
        quoted = true;
      } else if (b == '\n') {
        return at + 1;
      }
      starts = b == ',' || b == ';' || b == '\t' || b == '|';
    }
    return -1;
  }

  @Override
  public int end(byte[] data, int known, int length) {
    int end = 0;
    for (int next = 0; next >= 0; next = recordEnd(data, next, length)) {
      end = next;
    }
    return end;
  }

  @Override
  public String form() {
    return "csv";
  }

  @Override
  public Records cut(Block block) {
    byte[] data = block.data();
    int length = block.length();
    Spans spans = new Spans(block);
    for (int at = 0; at < length; ) {
      int next = recordEnd(data, at, length);
      int end = next < 0 ? length : next - 1;
      spans.add(at, next > 0 && end > at && data[end - 1] == '\r' ? end - 1 : end);
      at = next < 0 ? length : next;
    }
    return spans.records().asLines();
  }
}
