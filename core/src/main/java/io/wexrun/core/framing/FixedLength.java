package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.util.Optional;

/**
 * Records that have all the same length; the last one of a block may be shorter.
 *
 * @param bytes at least 1
 */
record FixedLength(int bytes) implements Framing {
  private static final String FORM = "length ";
  private static final int MOST = 16 << 20;

  /**
   * Records of so many bytes.
   *
   * @throws IllegalArgumentException if it is not a number from 1 to 16 MB
   */
  static FixedLength of(String written) {
    if (written.matches("[1-9][0-9]{0,8}") && Integer.parseInt(written) <= MOST) {
      return new FixedLength(Integer.parseInt(written));
    }
    throw new IllegalArgumentException(
        "'" + written + "' is not a number of bytes from 1 to " + MOST);
  }

  /** The framing that a {@link #form} names; empty if it names none of these. */
  static Optional<Framing> named(String form) {
    return form.startsWith(FORM)
        ? Optional.of(of(form.substring(FORM.length())))
        : Optional.empty();
  }

  @Override
  public String form() {
    return FORM + bytes;
  }

  @Override
  public int end(byte[] data, int known, int length) {
    return length - length % bytes;
  }

  @Override
  public Records cut(Block block) {
    int count = (block.length() + bytes - 1) / bytes;
    int[] starts = new int[count];
    int[] ends = new int[count];
    for (int i = 0; i < count; i++) {
      starts[i] = i * bytes;
      ends[i] = Math.min(block.length(), starts[i] + bytes);
    }
    return Records.atBytes(block.data(), starts, ends, count, block.first(), null);
  }
}
