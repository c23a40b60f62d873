package io.wexrun.core.field;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.pattern.Literal;
import io.wexrun.core.pattern.Search;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.math.RoundingMode;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.temporal.ChronoField;
import java.time.temporal.TemporalAccessor;
import java.time.temporal.TemporalQueries;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.regex.Pattern;

/**
 * A field of a text and how its bytes become a value. Immutable.
 *
 * @param name empty for a field that is skipped
 * @param type the type of its values
 * @param optional whether an empty value or {@code -} is absent
 * @param formats for timestamps and dates, tried in order; none: ISO 8601
 * @param zone for timestamps without a zone; null if they must have one
 * @param pattern what a text must match as a whole; null for any
 * @param members for a struct its fields, for a list its element; else none
 */
public record Field(
    String name,
    Type type,
    boolean optional,
    List<Format> formats,
    Zone zone,
    Search pattern,
    List<Member> members) {

  /**
   * A value inside a nested one.
   *
   * @param key what it is called in the text; empty for the element of a list
   * @param utf8 the key's bytes; not to be changed
   */
  public record Member(String key, byte[] utf8, Field field) {
    Member(String key, Field field) {
      this(key, key.getBytes(StandardCharsets.UTF_8), field);
    }
  }

  /**
   * A format of times, of numbers with units, or of lists.
   *
   * @param written as written
   * @param formatter what reads it, if it is a pattern
   * @param scale for numbers since the epoch, the digits from their unit to the microsecond; else
   *     {@link #ISO} or {@link #PATTERN}; for numbers with units, {@link #SIZE} or {@link
   *     #DURATION} and more
   */
  public record Format(String written, DateTimeFormatter formatter, int scale) {
    static final int ISO = 100;
    static final int PATTERN = 101;
    static final int SIZE = 102;

    /** Of a list, whose elements the text that is written parts. */
    static final int LIST = 103;

    /** Durations: these and the digits from seconds to the unit of the value. */
    static final int DURATION = 110;
  }

  private static final long ANY_TIME = Duration.ofDays(400).toMillis() * 1000;

  /** A field of any text. */
  public static Field text(String name) {
    return of(name, Type.Scalar.TEXT);
  }

  /** A field that is read by its type's own rules. */
  public static Field of(String name, Type type) {
    List<Member> members = new ArrayList<>();
    if (type instanceof Type.ListOf list) {
      members.add(new Member("", of(name, list.element())));
    } else if (type instanceof Type.Struct struct) {
      struct.fields().forEach(f -> members.add(new Member(f.name(), of(f.name(), f.type()))));
    }
    return new Field(name, type, false, List.of(), null, null, members);
  }

  /** This field, read in other ways. */
  public Field read(boolean mayLack, List<Format> tried, Zone local, Search whole) {
    return new Field(name, type, mayLack, tried, local, whole, members);
  }

  /** This field with another name. */
  public Field named(String other) {
    return new Field(other, type, optional, formats, zone, pattern, members);
  }

  /** How often a text occurs at least in values of this field by their formats. */
  public int fewest(Literal text) {
    return formats.stream().mapToInt(format -> occurrences(text, format, false)).min().orElse(0);
  }

  /** How often a text occurs at most in values of this field by their formats. */
  public int most(Literal text) {
    return formats.stream().mapToInt(format -> occurrences(text, format, true)).max().orElse(0);
  }

  /**
   * How often a text occurs in what is written in a format.
   *
   * @param whole whether the parts in brackets, which may be missing, are there
   */
  private static int occurrences(Literal text, Format format, boolean whole) {
    if (format.scale() < Format.ISO) {
      return 0; // A number, whatever it is called.
    }
    StringBuilder plain = new StringBuilder();
    boolean quoted = false;
    int depth = 0;
    for (char c : format.written().toCharArray()) {
      quoted ^= c == '\'';
      if (!quoted && (c == '[' || c == ']')) {
        depth += c == '[' ? 1 : -1;
      } else if (whole || depth == 0) {
        plain.append(c);
      }
    }
    byte[] bytes = plain.toString().getBytes(StandardCharsets.UTF_8);
    int count = 0;
    long found = text.locate(bytes, 0, bytes.length);
    while (found != Literal.NOWHERE) {
      count++;
      found = text.locate(bytes, Literal.end(found), bytes.length);
    }
    return count;
  }

  /** Whether bytes are a time by one of this field's formats. */
  public boolean isTime(byte[] data, int from, int to) {
    return type == Type.Scalar.DATE
        ? date(data, from, to, ANY_TIME) != Numbers.NONE
        : instant(data, from, to, ANY_TIME) != Numbers.NONE;
  }

  /** Whether the value is only passed over. */
  public boolean skipped() {
    return name.isEmpty();
  }

  /**
   * Adds the value of {@code data[from, to)} to a column of this field's type.
   *
   * @param written by when the record had been written, as {@link
   *     io.wexrun.core.intake.Records#written} says, for times without a year; 0 if not known
   * @return whether it is a value of the type; if not, nothing was added
   */
  public boolean append(byte[] data, int from, int to, Vector column, long written) {
    if (optional && (from == to || to - from == 1 && data[from] == '-')) {
      column.appendAbsent();
      return true;
    }
    if (type instanceof Type.Decimal decimal) {
      return append(Numbers.decimal(data, from, to, decimal.precision(), decimal.scale()), column);
    }
    if (type.nested()) {
      return formats.isEmpty()
          ? new JsonValues().parse(this, data, from, to, column, written)
          : appendParted(data, from, to, (ListVector) column, written);
    }
    if (!formats.isEmpty() && isMeasure(type)) {
      return appendMeasure(text(data, from, to), column);
    }
    return switch ((Type.Scalar) type) {
      case TEXT, BYTES, JSON -> {
        boolean json = type != Type.Scalar.JSON || JsonScanner.isJson(data, from, to);
        boolean fits = json && (pattern == null || pattern.matches(data, from, to));
        if (fits) {
          ((TextVector) column).append(data, from, to);
        }
        yield fits;
      }
      case LONG -> append(Numbers.whole(data, from, to), column);
      case INT -> {
        long value = Numbers.whole(data, from, to);
        yield value == (int) value && append(value, column);
      }
      case TIMESTAMP -> append(instant(data, from, to, written), column);
      case DATE -> append(date(data, from, to, written), column);
      case DOUBLE -> {
        double value = Numbers.real(data, from, to);
        boolean finite = Double.isFinite(value);
        if (finite) {
          ((DoubleVector) column).append(value);
        }
        yield finite;
      }
      case BOOL -> append(bool(data, from, to), column);
      case UUID -> {
        Optional<String> uuid = uuid(data, from, to);
        uuid.ifPresent(((TextVector) column)::append);
        yield uuid.isPresent();
      }
    };
  }

  /**
   * Adds a list whose elements stand as text between separators; blanks around them do not count.
   */
  private boolean appendParted(byte[] data, int from, int to, ListVector column, long written) {
    String text = text(data, from, to);
    int rows = column.size();
    if (!text.isBlank()) {
      for (String part : text.split(Pattern.quote(formats.get(0).written()), -1)) {
        byte[] value = part.strip().getBytes(StandardCharsets.UTF_8);
        if (!members.get(0).field().append(value, 0, value.length, column.elements(), written)) {
          column.truncate(rows);
          return false;
        }
      }
    }
    column.append();
    return true;
  }

  /** Whether values of a type may be numbers with units. */
  static boolean isMeasure(Type type) {
    return type == Type.Scalar.LONG || type == Type.Scalar.INT || type == Type.Scalar.DOUBLE;
  }

  /** Adds a number with its unit; whole numbers are rounded half up. */
  private boolean appendMeasure(String text, Vector column) {
    for (Format format : formats) {
      Optional<BigDecimal> value =
          format.scale() == Format.SIZE
              ? Measures.bytes(text).stream().mapToObj(BigDecimal::valueOf).findFirst()
              : Measures.seconds(text).map(s -> s.movePointRight(format.scale() - Format.DURATION));
      if (value.isPresent()) {
        return append(value.get(), column);
      }
    }
    return false;
  }

  private boolean append(BigDecimal value, Vector column) {
    if (column instanceof DoubleVector doubles) {
      doubles.append(value.doubleValue());
      return true;
    }
    BigDecimal whole = value.setScale(0, RoundingMode.HALF_UP);
    boolean fits = whole.unscaledValue().bitLength() <= (type == Type.Scalar.INT ? 31 : 62);
    return fits && append(whole.longValue(), column);
  }

  private static boolean append(long value, Vector column) {
    if (value == Numbers.NONE) {
      return false;
    }
    ((LongVector) column).append(value);
    return true;
  }

  private long instant(byte[] data, int from, int to, long written) {
    long instant = formats.isEmpty() ? Times.instant(data, from, to, zone) : Numbers.NONE;
    for (int i = 0; i < formats.size() && instant == Numbers.NONE; i++) {
      instant = instant(formats.get(i), data, from, to, written);
    }
    return instant;
  }

  private long instant(Format format, byte[] data, int from, int to, long written) {
    return switch (format.scale()) {
      case Format.ISO -> Times.instant(data, from, to, zone);
      case Format.PATTERN -> byPattern(format, text(data, from, to), written);
      case -3 -> {
        long nanos = Numbers.whole(data, from, to);
        yield nanos == Numbers.NONE ? nanos : Math.floorDiv(nanos, 1000);
      }
      default ->
          Numbers.decimal(
              data, from, fractionEnd(data, from, to, format.scale()), 18, format.scale());
    };
  }

  /** The end of an epoch without the digits of its fraction that are below a microsecond. */
  private static int fractionEnd(byte[] data, int from, int to, int scale) {
    int point = from;
    while (point < to && data[point] != '.') {
      point++;
    }
    int end = to;
    while (end - point - 1 > scale && data[end - 1] >= '0' && data[end - 1] <= '9') {
      end--;
    }
    return end;
  }

  private long byPattern(Format format, String text, long written) {
    try {
      TemporalAccessor parsed = format.formatter().parse(text);
      if (parsed.isSupported(ChronoField.INSTANT_SECONDS)) {
        return Instants.micros(Instant.from(parsed));
      }
      LocalDate day = parsed.query(TemporalQueries.localDate());
      LocalTime time = parsed.query(TemporalQueries.localTime());
      if (day == null && time != null) {
        return YearlessTime.instant(parsed, time, zone, written);
      }
      if (day == null || time == null) {
        return Numbers.NONE; // An optional part of the format is missing.
      }
      LocalDateTime local = LocalDateTime.of(day, time);
      return zone.instant(local);
    } catch (DateTimeException e) {
      return Numbers.NONE;
    }
  }

  private long date(byte[] data, int from, int to, long written) {
    long date = formats.isEmpty() ? Times.date(data, from, to) : Numbers.NONE;
    for (int i = 0; i < formats.size() && date == Numbers.NONE; i++) {
      Format format = formats.get(i);
      if (format.scale() == Format.ISO) {
        date = Times.date(data, from, to);
        continue;
      }
      try {
        TemporalAccessor parsed = format.formatter().parse(text(data, from, to));
        LocalDate day = parsed.query(TemporalQueries.localDate());
        date = day == null ? YearlessTime.date(parsed, written) : day.toEpochDay();
      } catch (DateTimeException e) {
        date = Numbers.NONE;
      }
    }
    return date;
  }

  /** What is wrong with bytes that {@link #append} did not take. */
  public String fault(byte[] data, int from, int to) {
    if (from == to) {
      return "the value is empty";
    }
    String shown = Excerpt.of(data, from, to);
    if (type.nested() && !formats.isEmpty()) {
      Type element = members.get(0).field().type();
      return shown + " has an element that is not " + element.withArticle();
    }
    if (type.nested()) {
      JsonValues values = new JsonValues();
      values.parse(this, data, from, to, Vectors.forType(type, 1), 0);
      return values.fault();
    }
    if (type == Type.Scalar.JSON && JsonScanner.hasHalfPair(data, from, to)) {
      return JsonScanner.HALF_PAIR;
    }
    if (pattern != null) {
      return shown + " does not match its pattern";
    }
    if (yearless(data, from, to)) {
      return shown + " has no year, and it is not known when it was written";
    }
    boolean onlyZone =
        type == Type.Scalar.TIMESTAMP
            && formats.isEmpty()
            && zone == null
            && Times.instant(data, from, to, new Zone(ZoneOffset.UTC)) != Numbers.NONE;
    String hint = onlyZone ? ": it has no zone (give one, as in timestamp @UTC)" : "";
    return shown + " is not " + type.withArticle() + hint;
  }

  /** Whether only a year is missing. */
  private boolean yearless(byte[] data, int from, int to) {
    long any = Instants.micros(Instant.EPOCH.plus(Duration.ofDays(365)));
    boolean instant = type == Type.Scalar.TIMESTAMP && instant(data, from, to, any) != Numbers.NONE;
    return instant || type == Type.Scalar.DATE && date(data, from, to, any) != Numbers.NONE;
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
