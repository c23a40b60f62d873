package io.wexrun.core.rollup;

import java.math.BigDecimal;
import java.math.MathContext;

/** What exact sums share. */
final class Sums {
  private Sums() {}

  /** A quotient as the nearest double, as far as 34 digits tell. */
  static double quotient(BigDecimal sum, long values) {
    return sum.divide(BigDecimal.valueOf(values), MathContext.DECIMAL128).doubleValue();
  }

  /** A number as text, without zeros that mean nothing, and with an exponent only if it is long. */
  static String plain(BigDecimal number) {
    BigDecimal short_ = number.stripTrailingZeros();
    return short_.precision() - short_.scale() <= 40 && short_.scale() <= 100
        ? short_.toPlainString()
        : short_.toString();
  }
}
