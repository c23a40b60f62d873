package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;

/**
 * Records with their length before each one. A length that is none, or that the data cannot have,
 * loses the way: what follows it in the block is one record, so that nothing is lost unseen.
 */
public final class Delimited implements Framing {
  /** A base-128 varint, as Protocol Buffers' delimited messages have it. */
  public static final Framing VARINT = new Delimited(true);

  /** Four bytes, the most significant one first. */
  public static final Framing INT32 = new Delimited(false);

  /** No record is longer; a larger length is damage. */
  private static final int LONGEST = 16 << 20;

  private static final long NOT_YET = -1;
  private static final long DAMAGED = -2;

  private final boolean varint;

  private Delimited(boolean varint) {
    this.varint = varint;
  }

  /**
   * The length at {@code at} and how many bytes it takes, as {@code length << 8 | bytes}; {@link
   * #NOT_YET} if the data end before it does.
   */
  private long length(byte[] data, int at, int to) {
    if (!varint) {
      if (to - at < 4) {
        return NOT_YET;
      }
      long length =
          (data[at] & 0xFFL) << 24
              | (data[at + 1] & 0xFF) << 16
              | (data[at + 2] & 0xFF) << 8
              | data[at + 3] & 0xFF;
      return length > LONGEST ? DAMAGED : length << 8 | 4;
    }
    long length = 0;
    for (int i = 0; i < 5; i++) {
      if (at + i >= to) {
        return NOT_YET;
      }
      length |= (data[at + i] & 0x7FL) << 7 * i;
      if (data[at + i] >= 0) {
        return length > LONGEST ? DAMAGED : length << 8 | i + 1;
      }
    }
    return DAMAGED;
  }

  @Override
  public int end(byte[] data, int known, int length) {
    int at = 0;
    while (at < length) {
      long next = length(data, at, length);
      if (next == DAMAGED) {
        return length;
      }
      long end = at + (next & 0xFF) + (next >> 8);
      if (next == NOT_YET || end > length) {
        return at;
      }
      at = (int) end;
    }
    return at;
  }

  @Override
  public String form() {
    return varint ? "varint" : "int32";
  }

  @Override
  public Records cut(Block block) {
    byte[] data = block.data();
    int to = block.length();
    Spans spans = new Spans(block);
    int at = 0;
    while (at < to) {
      long next = length(data, at, to);
      int start = next < 0 ? at : at + (int) (next & 0xFF);
      long end = next < 0 ? to : start + (next >> 8);
      if (end > to) {
        start = at;
        end = to;
      }
      spans.add(start, (int) end);
      at = (int) end;
    }
    return spans.records();
  }
}
