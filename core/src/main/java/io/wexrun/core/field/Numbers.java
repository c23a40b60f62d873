package io.wexrun.core.field;

import java.nio.charset.StandardCharsets;

/** Reads numbers from ASCII bytes without making strings where that is exact. */
public final class Numbers {
  /** What the readers of whole numbers return for something that is none. */
  public static final long NONE = Long.MIN_VALUE;

  private static final double[] TENS = {
    1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16,
    1e17, 1e18, 1e19, 1e20, 1e21, 1e22
  };

  private Numbers() {}

  /**
   * A whole number with an optional sign; {@link #NONE} if it is none or does not fit into 64 bits.
   * The smallest 64-bit number is also {@link #NONE}; no log holds it.
   */
  public static long whole(byte[] data, int from, int to) {
    int at = from;
    boolean negative = at < to && data[at] == '-';
    if (negative || at < to && data[at] == '+') {
      at++;
    }
    if (at == to || to - at > 19) {
      return NONE;
    }
    long value = 0;
    for (; at < to; at++) {
      int digit = data[at] - '0';
      if (digit < 0 || digit > 9) {
        return NONE;
      }
      value = value * 10 + digit;
    }
    // 19 digits reach at most 9999999999999999999, which wraps to a negative number.
    return value < 0 ? NONE : negative ? -value : value;
  }

  /**
   * A decimal or scientific number as {@link Double#parseDouble} gives it; NaN if it is none ("NaN"
   * itself is none).
   */
  public static double real(byte[] data, int from, int to) {
    int at = from;
    boolean negative = at < to && data[at] == '-';
    if (negative || at < to && data[at] == '+') {
      at++;
    }
    int digits = 0;
    int fraction = 0;
    boolean point = false;
    long value = 0;
    for (; at < to && digits <= 15; at++) {
      byte b = data[at];
      if (b == '.' && !point) {
        point = true;
      } else if (b >= '0' && b <= '9') {
        value = value * 10 + (b - '0');
        digits++;
        fraction += point ? 1 : 0;
      } else {
        break;
      }
    }
    // At most 15 digits are exact in a double, and so is 10^fraction: one rounding, the right one
    // (W. D. Clinger, "How to read floating point numbers accurately", 1990).
    if (at == to && digits > 0 && digits <= 15) {
      double real = value / TENS[fraction];
      return negative ? -real : real;
    }
    return slow(data, from, to);
  }

  private static double slow(byte[] data, int from, int to) {
    for (int at = from; at < to; at++) {
      if ("0123456789+-.eE".indexOf(data[at]) < 0) {
        return Double.NaN;
      }
    }
    try {
      return Double.parseDouble(new String(data, from, to - from, StandardCharsets.ISO_8859_1));
    } catch (NumberFormatException e) {
      return Double.NaN;
    }
  }

  /** A decimal with at most {@code scale} digits after the point, unscaled; else {@link #NONE}. */
  public static long decimal(byte[] data, int from, int to, int precision, int scale) {
    int at = from;
    boolean negative = at < to && data[at] == '-';
    if (negative || at < to && data[at] == '+') {
      at++;
    }
    long value = 0;
    int digits = 0;
    int fraction = -1;
    for (; at < to; at++) {
      byte b = data[at];
      if (b == '.' && fraction < 0) {
        fraction = 0;
      } else if (b >= '0' && b <= '9' && digits < 18) {
        value = value * 10 + (b - '0');
        digits += value == 0 ? 0 : 1;
        fraction += fraction < 0 ? 0 : 1;
      } else {
        return NONE;
      }
    }
    boolean anyDigit = to > from && data[to - 1] >= '0' && data[to - 1] <= '9';
    int missing = scale - Math.max(0, fraction);
    if (!anyDigit || missing < 0 || digits + missing > precision && value != 0) {
      return NONE;
    }
    for (int i = 0; i < missing; i++) {
      value *= 10;
    }
    return negative ? -value : value;
  }
}
