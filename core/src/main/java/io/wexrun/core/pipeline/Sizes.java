package io.wexrun.core.pipeline;

import java.time.Duration;
import java.time.temporal.ChronoUnit;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Reads and writes sizes such as {@code 64MB} and durations such as {@code 10s}. */
public final class Sizes {
  private static final Pattern SIZE = Pattern.compile("(\\d{1,18})\\s*(B|KB|MB|GB|TB)?");
  private static final Pattern DURATION = Pattern.compile("(\\d{1,15})\\s*(ms|s|m|h|d)");

  /** What nanoseconds can count with room to spare. */
  private static final Duration LONGEST = Duration.ofDays(36_525);

  private Sizes() {}

  /** Bytes from {@code 64MB}; 1 KB is 1024 bytes; a bare number is bytes. */
  public static Optional<Long> bytes(String text) {
    Matcher matcher = SIZE.matcher(text.trim().toUpperCase(Locale.ROOT));
    if (!matcher.matches()) {
      return Optional.empty();
    }
    int shift =
        switch (matcher.group(2) == null ? "B" : matcher.group(2)) {
          case "KB" -> 10;
          case "MB" -> 20;
          case "GB" -> 30;
          case "TB" -> 40;
          default -> 0;
        };
    long number = Long.parseLong(matcher.group(1));
    return number > Long.MAX_VALUE >> shift ? Optional.empty() : Optional.of(number << shift);
  }

  /**
   * A duration from {@code 500ms}, {@code 10s}, {@code 5m}, {@code 1h}, {@code 7d}; empty too if it
   * is longer than 100 years.
   */
  public static Optional<Duration> duration(String text) {
    Matcher matcher = DURATION.matcher(text.trim());
    if (!matcher.matches()) {
      return Optional.empty();
    }
    long number = Long.parseLong(matcher.group(1));
    ChronoUnit unit =
        switch (matcher.group(2)) {
          case "ms" -> ChronoUnit.MILLIS;
          case "s" -> ChronoUnit.SECONDS;
          case "m" -> ChronoUnit.MINUTES;
          case "h" -> ChronoUnit.HOURS;
          default -> ChronoUnit.DAYS;
        };
    boolean countable = number <= LONGEST.dividedBy(unit.getDuration());
    return countable ? Optional.of(Duration.of(number, unit)) : Optional.empty();
  }

  /** A size as {@link #bytes} reads it, in the largest unit that is exact. */
  public static String show(long bytes) {
    String[] units = {"B", "KB", "MB", "GB", "TB"};
    int unit = 0;
    while (unit < 4 && bytes != 0 && bytes % 1024 == 0) {
      bytes /= 1024;
      unit++;
    }
    return bytes + units[unit];
  }

  /** A duration as {@link #duration} reads it. */
  public static String show(Duration duration) {
    long millis = duration.toMillis();
    return millis % 1000 == 0 ? millis / 1000 + "s" : millis + "ms";
  }
}
