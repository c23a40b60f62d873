package io.wexrun.core.framing;

import java.nio.ByteOrder;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;

/**
 * How a line ends in an encoding: with a line feed of one, two or four bytes, which stands at a
 * multiple of its width.
 *
 * @param width how many bytes a line feed has
 * @param order in which order they stand
 */
public record Newline(int width, ByteOrder order) {
  /** The line feed of ASCII and of every encoding that holds ASCII. */
  public static final Newline BYTE = new Newline(1, ByteOrder.BIG_ENDIAN);

  /**
   * The line feed of an encoding.
   *
   * @throws IllegalArgumentException if its lines do not end in such a way
   */
  public static Newline of(Charset charset) {
    byte[] feed = charset.canEncode() ? "\n".getBytes(charset) : new byte[0];
    if (feed.length == 1 && feed[0] == '\n' && isAscii(charset)) {
      return BYTE;
    }
    if (feed.length == 2 || feed.length == 4) {
      if (feed[0] == '\n') {
        return new Newline(feed.length, ByteOrder.LITTLE_ENDIAN);
      } else if (feed[feed.length - 1] == '\n') {
        return new Newline(feed.length, ByteOrder.BIG_ENDIAN);
      }
    }
    throw new IllegalArgumentException("lines do not end with a line feed in " + charset);
  }

  private static boolean isAscii(Charset charset) {
    String text = "az AZ 09,;\t#";
    return new String(text.getBytes(StandardCharsets.US_ASCII), charset).equals(text);
  }

  /** The place behind the first line feed at or after a place; -1 if none is before the end. */
  public int after(byte[] data, int from, int to) {
    for (int at = from; at <= to - width; at += width) {
      if (isAt(data, at)) {
        return at + width;
      }
    }
    return -1;
  }

  /** The place behind the last line feed in {@code data[0, length)}; 0 if there is none. */
  public int lastEnd(byte[] data, int length) {
    for (int at = length - length % width - width; at >= 0; at -= width) {
      if (isAt(data, at)) {
        return at + width;
      }
    }
    return 0;
  }

  private boolean isAt(byte[] data, int at) {
    if (width == 1) {
      return data[at] == '\n';
    }
    int feed = order == ByteOrder.LITTLE_ENDIAN ? at : at + width - 1;
    for (int i = at; i < at + width; i++) {
      if (data[i] != (i == feed ? '\n' : 0)) {
        return false;
      }
    }
    return true;
  }

  /** How many lines end in {@code data[from, to)}. */
  public int count(byte[] data, int from, int to) {
    int count = 0;
    if (width == 1) {
      for (int at = from; at < to; at++) {
        count += data[at] == '\n' ? 1 : 0;
      }
      return count;
    }
    for (int at = after(data, from, to); at >= 0; at = after(data, at, to)) {
      count++;
    }
    return count;
  }
}
