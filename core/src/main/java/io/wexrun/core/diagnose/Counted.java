package io.wexrun.core.diagnose;

import java.text.NumberFormat;
import java.util.Locale;

/** Numbers of things in sentences. */
public final class Counted {
  private Counted() {}

  /**
   * A number with its noun: {@code 1 record}, {@code 60,000 records}.
   *
   * @param noun one of them, for which an {@code s} makes more
   */
  public static String of(long number, String noun) {
    return number(number) + " " + noun + (number == 1 ? "" : "s");
  }

  /** A number with separators: {@code 60,000}. */
  public static String number(long number) {
    return NumberFormat.getIntegerInstance(Locale.ENGLISH).format(number);
  }
}
