package io.wexrun.core.field;

import io.wexrun.core.schema.Instants;
import java.time.DateTimeException;
import java.time.DayOfWeek;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.MonthDay;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.temporal.ChronoField;
import java.time.temporal.TemporalAccessor;
import java.time.temporal.TemporalQueries;

/**
 * Times of logs that leave out the year. It is the latest one with which the time is not after the
 * time by which the record had been written; a day is allowed for clocks and zones that differ. So
 * records may be up to a year old by then, but for that day. The 29th of February is in the latest
 * leap year; a day of the week, if the time has one, in the latest year in which it is that day.
 */
public final class YearlessTime {
  private static final long DAY = 86_400L * 1_000_000;

  /** After so many years days have the same days of the week; leap years come sooner. */
  private static final int MOST_YEARS = 28;

  private YearlessTime() {}

  /** Whether something that was parsed is a day of the year. */
  static boolean isDay(TemporalAccessor parsed) {
    try {
      return MonthDay.from(parsed).getMonthValue() > 0;
    } catch (DateTimeException e) {
      return false;
    }
  }

  /**
   * The instant of a day and a time of day, in microseconds; {@link Numbers#NONE} if there is none.
   *
   * @param zone where the time does not say it; null if it must
   * @param written by when the record had been written, in microseconds; 0 if that is not known
   */
  static long instant(TemporalAccessor parsed, LocalTime time, Zone zone, long written) {
    ZoneId own = parsed.query(TemporalQueries.zone());
    Zone in = own == null ? zone : new Zone(own);
    return in == null ? Numbers.NONE : latest(parsed, time, in, written);
  }

  /** Days since 1970-01-01 of a day; {@link Numbers#NONE} if its year is not known. */
  static long date(TemporalAccessor parsed, long written) {
    long instant = latest(parsed, LocalTime.MIDNIGHT, new Zone(ZoneOffset.UTC), written);
    return instant == Numbers.NONE ? instant : Math.floorDiv(instant, DAY);
  }

  private static long latest(TemporalAccessor parsed, LocalTime time, Zone zone, long written) {
    DayOfWeek weekday = parsed.isSupported(ChronoField.DAY_OF_WEEK) ? DayOfWeek.from(parsed) : null;
    return latest(MonthDay.from(parsed), weekday, time, zone, written);
  }

  /** The instant of a day and a time of day where a zone is; {@link Numbers#NONE} if none. */
  public static long instant(MonthDay day, LocalTime time, Zone zone, long written) {
    return latest(day, null, time, zone, written);
  }

  private static long latest(
      MonthDay day, DayOfWeek weekday, LocalTime time, Zone zone, long written) {
    if (written == 0) {
      return Numbers.NONE;
    }
    int next = Instants.instant(written).atOffset(ZoneOffset.UTC).getYear() + 1;
    for (int year = next; year >= next - MOST_YEARS - 1; year--) {
      if (day.isValidYear(year)
          && (weekday == null || day.atYear(year).getDayOfWeek() == weekday)) {
        long instant = zone.instant(LocalDateTime.of(day.atYear(year), time));
        if (instant <= written + DAY) {
          return instant;
        }
      }
    }
    return Numbers.NONE;
  }
}
