package io.wexrun.core.rollup;

import java.math.BigDecimal;
import java.util.Arrays;

/**
 * The exact sum of numbers, whatever their order: as floating-point numbers that do not overlap,
 * whose sum it is (J. R. Shewchuk, "Adaptive Precision Floating-Point Arithmetic and Fast Robust
 * Geometric Predicates", 1997, section 2.4). For one thread.
 */
final class ExactSum {
  /** Numbers from here on could overflow when they are added, and are kept apart. */
  private static final double HUGE = 0x1p900;

  private double[] parts = new double[2];
  private int count;
  private BigDecimal apart = BigDecimal.ZERO;
  private double odd;

  void add(double value) {
    if (!(Math.abs(value) < HUGE)) {
      addApart(value);
      return;
    }
    double sum = value;
    int kept = 0;
    for (int i = 0; i < count; i++) {
      double part = parts[i];
      double more = sum + part;
      double share = more - sum;
      double rest = (sum - (more - share)) + (part - share);
      sum = more;
      if (rest != 0) {
        parts[kept++] = rest;
      }
    }
    if (kept == parts.length) {
      parts = Arrays.copyOf(parts, kept * 2);
    }
    parts[kept++] = sum;
    count = kept;
  }

  /** Infinities and what is no number have no exact sum, but go on as IEEE 754 says. */
  private void addApart(double value) {
    if (Double.isInfinite(value) || Double.isNaN(value)) {
      odd += value;
    } else {
      apart = apart.add(new BigDecimal(value));
    }
  }

  private boolean isOdd() {
    return odd != 0 || Double.isNaN(odd);
  }

  private BigDecimal total() {
    BigDecimal total = apart;
    for (int i = 0; i < count; i++) {
      total = total.add(new BigDecimal(parts[i]));
    }
    return total;
  }

  /** The sum, rounded once to the nearest double. */
  double value() {
    return isOdd() ? odd : total().doubleValue();
  }

  /** The sum by a number of values, rounded to the nearest double. */
  double by(long values) {
    return isOdd() ? odd : Sums.quotient(total(), values);
  }

  /** The whole sum as {@link #addText} reads it: a decimal number, or what is none. */
  String text() {
    return isOdd() ? Double.toString(odd) : Sums.plain(total());
  }

  /** Adds a sum that was written down. */
  void addText(String text) {
    if (text.endsWith("y") || text.equals("NaN")) {
      odd += Double.parseDouble(text);
      return;
    }
    BigDecimal left = new BigDecimal(text);
    // Invariant: what is left is a sum of doubles, so that each double nearest to it leaves less.
    while (left.signum() != 0) {
      double next = left.doubleValue();
      if (Double.isInfinite(next) || next == 0) {
        apart = apart.add(left);
        return;
      }
      add(next);
      left = left.subtract(new BigDecimal(next));
    }
  }
}
