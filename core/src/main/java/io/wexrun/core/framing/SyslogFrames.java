package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;

/**
 * Syslog messages over a stream (RFC 6587): with their length before them, or each on a line of its
 * own. Every message tells by its first byte which it is, so that one stream may have both.
 */
final class SyslogFrames implements Framing {
  static final Framing FRAMING = new SyslogFrames();

  /** No message is longer; a larger length is the text of a line. */
  private static final int MOST_DIGITS = 7;

  private SyslogFrames() {}

  /** Where the message begins whose length stands at a place; -1 if none does. */
  private static int counted(byte[] data, int at, int to) {
    int place = at;
    while (place < to && place - at <= MOST_DIGITS && data[place] >= '0' && data[place] <= '9') {
      place++;
    }
    boolean length = place > at && place - at <= MOST_DIGITS && data[at] != '0';
    return length && place < to && data[place] == ' ' ? place + 1 : -1;
  }

  private static int number(byte[] data, int from, int to) {
    int number = 0;
    for (int i = from; i < to; i++) {
      number = number * 10 + data[i] - '0';
    }
    return number;
  }

  /** Whether what stands at a place may still become a length. */
  private static boolean maybe(byte[] data, int at, int to) {
    int place = at;
    while (place < to && data[place] >= '0' && data[place] <= '9') {
      place++;
    }
    return place == to && place - at <= MOST_DIGITS && data[at] != '0';
  }

  private static int lineFeed(byte[] data, int at, int to) {
    int place = at;
    while (place < to && data[place] != '\n') {
      place++;
    }
    return place;
  }

  @Override
  public int end(byte[] data, int known, int length) {
    int at = 0;
    while (at < length) {
      int start = counted(data, at, length);
      if (start < 0 && maybe(data, at, length)) {
        return at;
      }
      int end = start < 0 ? lineFeed(data, at, length) + 1 : start + number(data, at, start - 1);
      if (end > length) {
        return at;
      }
      at = end;
    }
    return at;
  }

  @Override
  public String form() {
    return "syslog";
  }

  @Override
  public Records cut(Block block) {
    byte[] data = block.data();
    int to = block.length();
    Spans spans = new Spans(block);
    int at = 0;
    while (at < to) {
      int start = counted(data, at, to);
      int end = start < 0 ? lineFeed(data, at, to) : start + number(data, at, start - 1);
      int next = start < 0 ? end + 1 : end;
      start = start < 0 || end > to ? at : start;
      end = Math.min(end, to);
      while (end > start
          && (data[end - 1] == '\n' || data[end - 1] == '\r' || data[end - 1] == 0)) {
        end--;
      }
      spans.add(start, end);
      at = next;
    }
    return spans.records().asLines();
  }
}
