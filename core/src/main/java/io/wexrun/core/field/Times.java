package io.wexrun.core.field;

/**
 * Reads instants and dates in the extended formats of ISO 8601 (RFC 3339) from ASCII bytes: {@code
 * 2026-05-03T06:14:09.118+02:00}. {@code T} may be a blank, the fraction may follow a comma,
 * seconds may be missing, the zone is {@code Z}, {@code +hh}, {@code +hhmm} or {@code +hh:mm}.
 * Digits beyond the microsecond are cut. Leap seconds are not taken.
 */
public final class Times {
  private static final long SECOND = 1_000_000;

  private Times() {}

  /**
   * Microseconds since 1970-01-01T00:00:00Z, or {@link Numbers#NONE}.
   *
   * @param zone the zone for texts without one; null if they must have one
   */
  public static long instant(byte[] data, int from, int to, Zone zone) {
    long day = date(data, from, Math.min(to, from + 10));
    if (day == Numbers.NONE || to - from < 16) {
      return Numbers.NONE;
    }
    byte separator = data[from + 10];
    int hour = two(data, from + 11);
    int minute = two(data, from + 14);
    boolean well =
        (separator == 'T' || separator == ' ' || separator == 't')
            && data[from + 13] == ':'
            && hour >= 0
            && hour < 24
            && minute >= 0
            && minute < 60;
    if (!well) {
      return Numbers.NONE;
    }
    int at = from + 16;
    int second = 0;
    long fraction = 0;
    if (at < to && data[at] == ':') {
      if (at + 3 > to || (second = two(data, at + 1)) < 0 || second > 59) {
        return Numbers.NONE;
      }
      at += 3;
      if (at < to && (data[at] == '.' || data[at] == ',')) {
        int start = ++at;
        for (; at < to && data[at] >= '0' && data[at] <= '9'; at++) {
          fraction = at - start < 6 ? fraction * 10 + (data[at] - '0') : fraction;
        }
        if (at == start) {
          return Numbers.NONE;
        }
        for (int digits = at - start; digits < 6; digits++) {
          fraction *= 10;
        }
      }
    }
    long local = ((day * 24 + hour) * 60 + minute) * 60 + second;
    long offset = at == to ? atZone(zone, local) : offset(data, at, to);
    return offset == Numbers.NONE ? Numbers.NONE : (local - offset) * SECOND + fraction;
  }

  private static long atZone(Zone zone, long local) {
    return zone == null ? Numbers.NONE : zone.offset(local);
  }

  /** The zone's offset in seconds. */
  private static long offset(byte[] data, int at, int to) {
    byte sign = data[at];
    if (sign == 'Z' || sign == 'z') {
      return at + 1 == to ? 0 : Numbers.NONE;
    }
    int length = to - at;
    if (sign != '+' && sign != '-' || length != 3 && length != 5 && length != 6) {
      return Numbers.NONE;
    }
    int hours = two(data, at + 1);
    int minutes = length == 3 ? 0 : two(data, to - 2);
    boolean well =
        hours >= 0
            && hours <= 18
            && minutes >= 0
            && minutes < 60
            && (length != 6 || data[at + 3] == ':');
    if (!well) {
      return Numbers.NONE;
    }
    int seconds = hours * 3600 + minutes * 60;
    return sign == '-' ? -seconds : seconds;
  }

  /** Days since 1970-01-01 of {@code yyyy-MM-dd}, or {@link Numbers#NONE}. */
  public static long date(byte[] data, int from, int to) {
    if (to - from != 10 || data[from + 4] != '-' || data[from + 7] != '-') {
      return Numbers.NONE;
    }
    int century = two(data, from);
    int rest = two(data, from + 2);
    int month = two(data, from + 5);
    int day = two(data, from + 8);
    if (century < 0 || rest < 0 || month < 1 || month > 12 || day < 1) {
      return Numbers.NONE;
    }
    int year = century * 100 + rest;
    boolean leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    int days = month == 2 ? (leap ? 29 : 28) : 30 + ((month + (month >> 3)) & 1);
    return day > days ? Numbers.NONE : days(year, month, day);
  }

  /** The day number of a date in the proleptic Gregorian calendar, years 0 to 9999. */
  private static long days(int year, int month, int day) {
    // The year is counted from March, so that the leap day is its last day.
    int y = month <= 2 ? year - 1 : year;
    int era = Math.floorDiv(y, 400);
    int yearOfEra = y - era * 400;
    int dayOfYear = (153 * (month > 2 ? month - 3 : month + 9) + 2) / 5 + day - 1;
    int dayOfEra = yearOfEra * 365 + yearOfEra / 4 - yearOfEra / 100 + dayOfYear;
    return era * 146_097L + dayOfEra - 719_468;
  }

  /** Two digits as a number; something negative if they are none. */
  private static int two(byte[] data, int at) {
    int tens = data[at] - '0';
    int ones = data[at + 1] - '0';
    return (tens | ones | 9 - tens | 9 - ones) < 0 ? -1 : tens * 10 + ones;
  }
}
