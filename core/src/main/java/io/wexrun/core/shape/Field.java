package io.wexrun.core.shape;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.temporal.ChronoField;
import java.time.temporal.TemporalAccessor;
import java.time.temporal.TemporalQueries;
import java.util.Optional;
import java.util.UUID;

/**
 * A field of a template and how its bytes become a value. Immutable.
 *
 * @param name empty for a field that is skipped
 * @param type the type of its values
 * @param optional whether an empty value or {@code -} is absent
 * @param format for timestamps and dates, if not ISO 8601
 * @param zone for timestamps without a zone; null if they must have one
 */
record Field(String name, Type type, boolean optional, Optional<Format> format, Zone zone) {

  /**
   * A format of times.
   *
   * @param pattern as written
   * @param formatter what reads it
   */
  record Format(String pattern, DateTimeFormatter formatter) {}

  /** How often a text occurs in values of this field by their format. */
  int occurrences(Literal text) {
    byte[] pattern = format.map(Format::pattern).orElse("").getBytes(StandardCharsets.UTF_8);
    int count = 0;
    long found = text.locate(pattern, 0, pattern.length);
    while (found != Literal.NOWHERE) {
      count++;
      found = text.locate(pattern, Literal.end(found), pattern.length);
    }
    return count;
  }

  /** Whether the value is only passed over. */
  boolean skipped() {
    return name.isEmpty();
  }

  /**
   * Adds the value of {@code data[from, to)} to a column of this field's type.
   *
   * @return whether it is a value of the type; if not, nothing was added
   */
  boolean append(byte[] data, int from, int to, Vector column) {
    if (optional && (from == to || to - from == 1 && data[from] == '-')) {
      column.appendAbsent();
      return true;
    }
    if (type instanceof Type.Decimal decimal) {
      return append(Numbers.decimal(data, from, to, decimal.precision(), decimal.scale()), column);
    }
    return switch ((Type.Scalar) type) {
      case TEXT, BYTES, JSON -> {
        ((TextVector) column).append(data, from, to);
        yield true;
      }
      case LONG -> append(Numbers.whole(data, from, to), column);
      case INT -> {
        long value = Numbers.whole(data, from, to);
        yield value == (int) value && append(value, column);
      }
      case TIMESTAMP -> append(instant(data, from, to), column);
      case DATE -> append(date(data, from, to), column);
      case DOUBLE -> {
        double value = Numbers.real(data, from, to);
        if (!Double.isNaN(value)) {
          ((DoubleVector) column).append(value);
        }
        yield !Double.isNaN(value);
      }
      case BOOL -> append(bool(data, from, to), column);
      case UUID -> {
        Optional<String> uuid = uuid(data, from, to);
        uuid.ifPresent(((TextVector) column)::append);
        yield uuid.isPresent();
      }
    };
  }

  private static boolean append(long value, Vector column) {
    if (value == Numbers.NONE) {
      return false;
    }
    ((LongVector) column).append(value);
    return true;
  }

  private long instant(byte[] data, int from, int to) {
    if (format.isEmpty()) {
      return Times.instant(data, from, to, zone);
    }
    try {
      TemporalAccessor parsed = format.get().formatter().parse(text(data, from, to));
      if (parsed.isSupported(ChronoField.INSTANT_SECONDS)) {
        return Instants.micros(Instant.from(parsed));
      }
      LocalDateTime local =
          LocalDateTime.of(
              parsed.query(TemporalQueries.localDate()), parsed.query(TemporalQueries.localTime()));
      long seconds = local.toEpochSecond(ZoneOffset.UTC);
      return (seconds - zone.offset(seconds)) * 1_000_000 + local.getNano() / 1000;
    } catch (DateTimeException e) {
      return Numbers.NONE;
    }
  }

  private long date(byte[] data, int from, int to) {
    if (format.isEmpty()) {
      return Times.date(data, from, to);
    }
    try {
      return LocalDate.parse(text(data, from, to), format.get().formatter()).toEpochDay();
    } catch (DateTimeException e) {
      return Numbers.NONE;
    }
  }

  private static long bool(byte[] data, int from, int to) {
    return switch (text(data, from, to)) {
      case "true" -> 1;
      case "false" -> 0;
      default -> Numbers.NONE;
    };
  }

  private static Optional<String> uuid(byte[] data, int from, int to) {
    if (to - from != 36) {
      return Optional.empty();
    }
    try {
      String text = text(data, from, to);
      String canonical = UUID.fromString(text).toString();
      return canonical.equalsIgnoreCase(text) ? Optional.of(canonical) : Optional.empty();
    } catch (IllegalArgumentException e) {
      return Optional.empty();
    }
  }

  private static String text(byte[] data, int from, int to) {
    return new String(data, from, to - from, StandardCharsets.UTF_8);
  }
}
