package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.Optional;

/** Records with a separator behind each one, which does not belong to it. */
final class Separated implements Framing {
  private static final String FORM = "separator ";

  private final byte[] separator;

  private Separated(byte[] separator) {
    this.separator = separator;
  }

  /**
   * Records with a text between them; {@code \n}, {@code \r}, {@code \t}, {@code \0} and {@code
   * \xHH} in it stand for bytes.
   *
   * @throws IllegalArgumentException if it is empty, or has a backslash before something else
   */
  static Separated of(String written) {
    StringBuilder hex = new StringBuilder();
    for (int i = 0; i < written.length(); i++) {
      char c = written.charAt(i);
      if (c != '\\') {
        byte[] utf8 = String.valueOf(c).getBytes(StandardCharsets.UTF_8);
        hex.append(HexFormat.of().formatHex(utf8));
        continue;
      }
      String rest = written.substring(i + 1);
      if (rest.matches("(?s)x[0-9a-fA-F]{2}.*")) {
        hex.append(rest, 1, 3);
        i += 3;
      } else if (!rest.isEmpty() && "nrt0\\".indexOf(rest.charAt(0)) >= 0) {
        hex.append(new String[] {"0a", "0d", "09", "00", "5c"}["nrt0\\".indexOf(rest.charAt(0))]);
        i++;
      } else {
        throw new IllegalArgumentException(
            "'" + written + "' has a backslash before none of n, r, t, 0, xHH and \\");
      }
    }
    if (hex.isEmpty()) {
      throw new IllegalArgumentException("a separator has at least one byte");
    }
    return new Separated(HexFormat.of().parseHex(hex));
  }

  /** The framing that a {@link #form} names; empty if it names none of these. */
  static Optional<Framing> named(String form) {
    return form.startsWith(FORM)
        ? Optional.of(new Separated(HexFormat.of().parseHex(form.substring(FORM.length()))))
        : Optional.empty();
  }

  @Override
  public String form() {
    return FORM + HexFormat.of().formatHex(separator);
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof Separated of && Arrays.equals(of.separator, separator);
  }

  @Override
  public int hashCode() {
    return Arrays.hashCode(separator);
  }

  /** Where the next separator begins; -1 if there is none before {@code to}. */
  private int next(byte[] data, int from, int to) {
    for (int at = from; at <= to - separator.length; at++) {
      if (data[at] == separator[0]
          && Arrays.equals(data, at, at + separator.length, separator, 0, separator.length)) {
        return at;
      }
    }
    return -1;
  }

  /** From the start on: one that overlaps another one is none. */
  @Override
  public int end(byte[] data, int known, int length) {
    int end = 0;
    for (int at = next(data, 0, length); at >= 0; at = next(data, end, length)) {
      end = at + separator.length;
    }
    return end;
  }

  @Override
  public Records cut(Block block) {
    byte[] data = block.data();
    int length = block.length();
    Spans spans = new Spans(block);
    for (int at = 0; at < length; ) {
      int next = next(data, at, length);
      spans.add(at, next < 0 ? length : next);
      at = next < 0 ? length : next + separator.length;
    }
    return spans.records();
  }
}
