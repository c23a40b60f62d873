package io.wexrun.core.field;

import java.math.BigDecimal;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Reads durations and sizes with their units, as programs write them. */
public final class Measures {
  private static final Pattern PART =
      Pattern.compile("\\s*([0-9]+(?:\\.[0-9]+)?)\\s*([A-Za-z\u00b5\u03bc]+)\\s*");

  private static final Map<String, String> SECONDS =
      Map.ofEntries(
          Map.entry("ns", "0.000000001"),
          Map.entry("us", "0.000001"),
          Map.entry("\u00b5s", "0.000001"),
          Map.entry("\u03bcs", "0.000001"),
          Map.entry("ms", "0.001"),
          Map.entry("msec", "0.001"),
          Map.entry("msecs", "0.001"),
          Map.entry("s", "1"),
          Map.entry("sec", "1"),
          Map.entry("secs", "1"),
          Map.entry("second", "1"),
          Map.entry("seconds", "1"),
          Map.entry("m", "60"),
          Map.entry("min", "60"),
          Map.entry("mins", "60"),
          Map.entry("minute", "60"),
          Map.entry("minutes", "60"),
          Map.entry("h", "3600"),
          Map.entry("hour", "3600"),
          Map.entry("hours", "3600"),
          Map.entry("d", "86400"),
          Map.entry("day", "86400"),
          Map.entry("days", "86400"));

  private static final String SIZES = "kmgtp";

  private Measures() {}

  /**
   * The seconds of {@code 112ms}, {@code 1.9s}, {@code 2h 3m}; at least one part with a unit.
   *
   * @return empty if it is no duration
   */
  public static Optional<BigDecimal> seconds(String text) {
    BigDecimal sum = BigDecimal.ZERO;
    Matcher part = PART.matcher(text);
    int at = 0;
    while (at < text.length() && part.find(at) && part.start() == at) {
      String unit = SECONDS.get(part.group(2).toLowerCase(Locale.ROOT));
      if (unit == null) {
        break;
      }
      sum = sum.add(new BigDecimal(part.group(1)).multiply(new BigDecimal(unit)));
      at = part.end();
    }
    if (at == 0 || at < text.length()) {
      return Optional.empty();
    }
    return Optional.of(sum);
  }

  /**
   * The bytes of {@code 12 kB} (of 1,000), {@code 1.5MiB} or {@code 64K} (of 1,024), {@code 900 B};
   * a number alone is bytes.
   *
   * @return empty if it is no size
   */
  public static OptionalLong bytes(String text) {
    String bare = text.strip();
    Matcher part = PART.matcher(bare);
    String unit = part.matches() ? part.group(2) : "B";
    String number = part.matches() ? part.group(1) : bare;
    String lower = unit.toLowerCase(Locale.ROOT);
    int power = SIZES.indexOf(lower.charAt(0)) + 1;
    String rest = lower.substring(power > 0 ? 1 : 0);
    boolean known = rest.matches("|i?b|b|ytes?") || lower.matches("bytes?|b");
    if (!known || !number.matches("[0-9]+(\\.[0-9]+)?")) {
      return OptionalLong.empty();
    }
    long base = rest.equals("b") ? 1000 : 1024;
    BigDecimal factor = BigDecimal.valueOf(base).pow(lower.matches("bytes?|b") ? 0 : power);
    return OptionalLong.of(new BigDecimal(number).multiply(factor).longValue());
  }
}
