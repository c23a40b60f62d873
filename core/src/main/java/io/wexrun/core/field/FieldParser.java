package io.wexrun.core.field;

import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pattern.Search;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.written.Written;
import java.time.DateTimeException;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.time.format.ResolverStyle;
import java.time.temporal.ChronoField;
import java.time.temporal.TemporalAccessor;
import java.time.temporal.TemporalQueries;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Reads how a field's bytes become a value.
 *
 * <pre>
 * FieldSpec   --&gt; Type? "?"? (" '" Format "'")* (" @" Zone)? (" from " Name)?
 * Type   --&gt; a scalar type, or the name of a pattern, whose text it takes
 *          | "list&lt;" FieldSpec "&gt;" | "{" Name ":" FieldSpec ("," Name ":" FieldSpec)* "}"
 * Format --&gt; "iso" | "epoch" | "epoch ms" | "epoch us" | "epoch ns"
 *          | a pattern of java.time.format.DateTimeFormatter
 * Zone   --&gt; a zone id such as UTC, +02:00 or Europe/Berlin
 * </pre>
 */
public final class FieldParser {
  private static final ZonedDateTime SAMPLE =
      ZonedDateTime.of(2026, 11, 28, 17, 45, 59, 123_456_000, ZoneId.of("Europe/Berlin"));

  /** A spec without its {@code from}, without groups. */
  public static final String FORM =
      "list<.*>\\??\\s+by\\s+'[^']+'"
          + "|(?:[A-Za-z][A-Za-z0-9_-]*(?:\\([^)]*\\))?)?\\??(?:\\s+'[^']*')*(?:\\s+@\\S+)?";

  public static final Pattern NAME = Pattern.compile("[A-Za-z_][A-Za-z0-9_]*");

  private static final Pattern SPEC =
      Pattern.compile(
          "([A-Za-z][A-Za-z0-9_-]*(?:\\([^)]*\\))?)?(\\?)?((?:\\s+'(?:[^']|'')*')*)(?:\\s+@(\\S+))?"
              + "(?:\\s*\\bfrom\\s+(\\S.*))?");
  private static final Pattern QUOTED = Pattern.compile("'((?:[^']|'')*)'");
  private static final Map<String, Integer> EPOCHS =
      Map.of("epoch", 6, "epoch s", 6, "epoch ms", 3, "epoch us", 0, "epoch ns", -3);
  private static final Map<String, Integer> MEASURES =
      Map.of(
          "size",
          Field.Format.SIZE,
          "duration",
          Field.Format.DURATION,
          "duration s",
          Field.Format.DURATION,
          "duration ms",
          Field.Format.DURATION + 3,
          "duration us",
          Field.Format.DURATION + 6,
          "duration ns",
          Field.Format.DURATION + 9);
  private static final List<String> TYPES =
      List.of(
          "text",
          "int",
          "long",
          "double",
          "bool",
          "timestamp",
          "date",
          "uuid",
          "json",
          "decimal",
          "list<...>");
  private static final Pattern BEHIND =
      Pattern.compile("\\s*(\\?)?(?:\\s+by\\s+'([^']+)')?(?:\\s*\\bfrom\\s+(\\S.*))?");
  private static final Pattern MEMBER =
      Pattern.compile("(\\s*([A-Za-z_][A-Za-z0-9_]*)\\s*:\\s*)(.*\\S)\\s*", Pattern.DOTALL);

  /**
   * What a spec says.
   *
   * @param from what the field is called in the text, if not by its name
   */
  public record Read(Field field, Optional<String> from) {}

  private final Written at;
  private final String code;
  private final Map<String, String> patterns;

  /**
   * A parser of specs that stand in one text.
   *
   * @param code the diagnostics' code for what is no spec
   */
  public FieldParser(Written at, String code, Map<String, String> patterns) {
    this.at = at;
    this.code = code;
    this.patterns = patterns;
  }

  /**
   * The fields of a map from names to specs; mistakes are told.
   *
   * @param patterns named patterns, which may stand as types
   */
  public static List<Read> fields(Written map, Map<String, String> patterns) {
    List<Read> fields = new ArrayList<>();
    map.entries()
        .forEach(
            (name, spec) -> {
              if (!NAME.matcher(name).matches()) {
                spec.diagnostics()
                    .keyError(
                        "bad-name",
                        spec.path(),
                        "'" + name + "' is not a name",
                        Optional.of("use letters, digits and '_'; name it, and add: from " + name));
              }
              fields.add(field(name, spec, patterns));
            });
    return fields;
  }

  /** A field from its spec, or a struct from a map of specs. */
  private static Read field(String name, Written spec, Map<String, String> patterns) {
    if (!spec.isMap()) {
      return new FieldParser(spec, "bad-field", patterns).parse(name, false, spec.text(), 0);
    }
    Optional<Field> struct = struct(name, false, fields(spec, patterns));
    if (struct.isEmpty()) {
      spec.error("bad-field", "a struct has a field", "write it as {NAME: TYPE}");
    }
    return new Read(struct.orElse(Field.text(name)), Optional.empty());
  }

  private static Optional<Field> struct(String name, boolean optional, List<Read> inside) {
    List<Field.Member> members = new ArrayList<>();
    Schema columns = Schema.EMPTY;
    for (Read read : inside) {
      Field field = read.field();
      if (columns.find(field.name()).isPresent()) {
        return Optional.empty();
      }
      members.add(new Field.Member(read.from().orElse(field.name()), field));
      columns = columns.with(Column.of(field.name(), field.type()));
    }
    if (members.isEmpty()) {
      return Optional.empty();
    }
    Type type = new Type.Struct(columns.columns());
    return Optional.of(new Field(name, type, optional, List.of(), null, null, members));
  }

  /** The columns of fields. */
  public static Schema schema(List<Field> fields, boolean mayLack) {
    Schema schema = Schema.EMPTY;
    for (Field field : fields) {
      schema = schema.with(new Column(field.name(), field.type(), !mayLack && !field.optional()));
    }
    return schema;
  }

  /** Reads a spec that stands at {@code offset} of the text. */
  public Read parse(String name, boolean optional, String spec, int offset) {
    if (spec.startsWith("{") || spec.startsWith("list<")) {
      return nested(name, optional, spec, offset);
    }
    Matcher matcher = SPEC.matcher(spec);
    if (!matcher.matches()) {
      error(
          offset,
          spec.length(),
          "'" + spec + "' does not say how to read a field",
          "write a type, as in int, text?, or timestamp 'dd/MMM/yyyy HH:mm:ss Z'");
      return new Read(Field.text(name), Optional.empty());
    }
    String spelling = matcher.group(1) == null ? "text" : matcher.group(1);
    Search pattern = null;
    Optional<Type> type = Type.parse(spelling);
    if (type.isEmpty() && patterns.containsKey(spelling)) {
      pattern = pattern(spelling, offset);
    } else if (type.isEmpty()) {
      List<String> known = new ArrayList<>(TYPES);
      known.addAll(patterns.keySet());
      at.diagnostics()
          .error(
              "unknown-type",
              at.path(),
              offset,
              spelling.length(),
              "there is no type '" + spelling + "'",
              Diagnostics.nearestOrKnown(spelling, known, all -> "the types are " + all));
    }
    Type of = type.orElse(Type.Scalar.TEXT);
    Zone zone = zone(matcher, offset);
    List<Field.Format> formats = formats(name, of, matcher, zone != null, offset);
    boolean mayLack = optional || matcher.group(2) != null;
    return new Read(
        Field.of(name, of).read(mayLack, formats, zone, pattern),
        Optional.ofNullable(matcher.group(5)).map(String::strip));
  }

  /** Reads the spec of a list or struct. */
  private Read nested(String name, boolean optional, String spec, int offset) {
    boolean list = spec.startsWith("l");
    int open = list ? 4 : 0;
    int close = close(spec, open);
    Matcher behind = BEHIND.matcher(spec.substring(close + 1));
    if (close < 0 || !behind.matches()) {
      String hint = "write it as list<int>, list<int> by ',', or {lat: double, lon: double}";
      error(offset, spec.length(), "'" + spec + "' is not a list or struct", hint);
      return new Read(Field.text(name), Optional.empty());
    }
    boolean mayLack = optional || behind.group(1) != null;
    Optional<Field> field;
    if (list) {
      String inside = spec.substring(open + 1, close);
      int blanks = inside.length() - inside.stripLeading().length();
      Field element =
          parse(name, false, inside.strip(), offset + open + 1 + blanks).field().named(name);
      Type type = new Type.ListOf(element.type());
      List<Field.Member> members = List.of(new Field.Member("", element));
      List<Field.Format> parted =
          Optional.ofNullable(behind.group(2))
              .map(by -> List.of(new Field.Format(by, null, Field.Format.LIST)))
              .orElse(List.of());
      field = Optional.of(new Field(name, type, mayLack, parted, null, null, members));
    } else {
      field = struct(name, mayLack, members(spec, open + 1, close, offset));
    }
    if (field.isEmpty()) {
      error(offset, spec.length(), "a struct has fields of distinct names", "{NAME: TYPE}");
    }
    return new Read(field.orElse(Field.text(name)), Optional.ofNullable(behind.group(3)));
  }

  private List<Read> members(String spec, int from, int to, int offset) {
    List<Read> members = new ArrayList<>();
    int at = from;
    while (at < to) {
      int end = at;
      while (end < to && spec.charAt(end) != ',') {
        end = Math.max(end, close(spec, end)) + 1;
      }
      Matcher member = MEMBER.matcher(spec.substring(at, Math.min(end, to)));
      if (member.matches()) {
        int place = offset + at + member.start(3);
        members.add(parse(member.group(2), false, member.group(3), place));
      } else {
        error(offset + at, Math.max(1, end - at), "a struct's field is NAME: TYPE", "");
      }
      at = end + 1;
    }
    return members;
  }

  /**
   * Where a bracket or quote at {@code open} closes; {@code open} itself if another character is
   * there, -1 if it does not close.
   */
  private static int close(String text, int open) {
    char c = text.charAt(open);
    if (c == '\'') {
      return text.indexOf(c, open + 1);
    }
    int kind = "({<".indexOf(c);
    if (kind < 0) {
      return open;
    }
    for (int at = open + 1; at < text.length(); at++) {
      if (text.charAt(at) == ")}>".charAt(kind)) {
        return at;
      }
      int inside = close(text, at);
      if (inside < 0) {
        return -1;
      }
      at = inside;
    }
    return -1;
  }

  private Search pattern(String name, int offset) {
    try {
      return Search.of(Patterns.compile(patterns.get(name), patterns));
    } catch (PatternSyntaxException | IllegalArgumentException e) {
      String message = "pattern '" + name + "' is none: " + e.getMessage();
      error(offset, name.length(), message, "it is in RE2 syntax");
      return null;
    }
  }

  private Zone zone(Matcher matcher, int offset) {
    String id = matcher.group(4);
    if (id == null) {
      return null;
    }
    try {
      return new Zone(ZoneId.of(id));
    } catch (DateTimeException e) {
      error(
          offset + matcher.start(4),
          id.length(),
          "there is no time zone '" + id + "'",
          "use UTC, an offset such as +02:00, or an id such as Europe/Berlin");
      return null;
    }
  }

  private List<Field.Format> formats(
      String name, Type type, Matcher matcher, boolean hasZone, int offset) {
    List<Field.Format> formats = new ArrayList<>();
    boolean timed = type == Type.Scalar.TIMESTAMP || type == Type.Scalar.DATE;
    Matcher quoted = QUOTED.matcher(matcher.group(3));
    boolean any = false;
    while (quoted.find()) {
      any = true;
      if (Field.isMeasure(type)) {
        Integer scale = MEASURES.get(quoted.group(1));
        if (scale == null) {
          error(
              offset + matcher.start(3) + quoted.start(1),
              quoted.group(1).length(),
              "numbers have no format '" + quoted.group(1) + "'",
              "write 'size' for bytes, 'duration' for seconds, or 'duration ms'");
        } else {
          formats.add(new Field.Format(quoted.group(1), null, scale));
        }
      } else if (timed) {
        int place = offset + matcher.start(3) + quoted.start(1);
        format(name, type, quoted.group(1).replace("''", "'"), hasZone, place)
            .ifPresent(formats::add);
      }
    }
    if (!timed && (any && !Field.isMeasure(type) || hasZone)) {
      error(offset, 1, "only timestamps, dates and numbers have a format or a zone", "remove it");
    }
    return formats;
  }

  private Optional<Field.Format> format(
      String name, Type type, String pattern, boolean hasZone, int place) {
    if (pattern.equals("iso")) {
      return Optional.of(new Field.Format(pattern, null, Field.Format.ISO));
    }
    if (EPOCHS.containsKey(pattern) && type == Type.Scalar.TIMESTAMP) {
      return Optional.of(new Field.Format(pattern, null, EPOCHS.get(pattern)));
    }
    DateTimeFormatter formatter;
    try {
      // yyyy means the year of the calendar here; strict resolving needs it without an era.
      String strict = pattern.replace("yyyy", "uuuu");
      formatter =
          DateTimeFormatter.ofPattern(strict, Locale.ENGLISH)
              .withResolverStyle(ResolverStyle.STRICT);
    } catch (IllegalArgumentException e) {
      error(place, pattern.length(), "this is not a date pattern: " + e.getMessage(), "");
      return Optional.empty();
    }
    String letters = pattern.replaceAll("\\[|]", "");
    if (type == Type.Scalar.TIMESTAMP && !hasZone && !letters.matches(".*[zZXxVO].*")) {
      error(
          place,
          pattern.length(),
          "the format has no zone, so the instant is not known",
          "add a zone behind it, as in " + name + ": timestamp '" + pattern + "' @UTC");
    }
    String missing = missing(formatter, type);
    if (!missing.isEmpty()) {
      error(
          place,
          pattern.length(),
          "the format has no "
              + missing
              + ", so the "
              + (type == Type.Scalar.DATE ? "date" : "instant")
              + " is not known",
          "a format has month and day (the year may be missing)"
              + (type == Type.Scalar.DATE ? "" : ", hour and minute")
              + "; a time without them can be read as text, and completed with set");
      return Optional.empty();
    }
    return Optional.of(new Field.Format(pattern, formatter, Field.Format.PATTERN));
  }

  /**
   * What a value that is written in a format lacks to be a date or an instant; empty if nothing.
   */
  private static String missing(DateTimeFormatter formatter, Type type) {
    TemporalAccessor parsed;
    try {
      parsed = formatter.parse(formatter.format(SAMPLE));
    } catch (DateTimeException e) {
      return "sense: " + e.getMessage();
    }
    if (parsed.isSupported(ChronoField.INSTANT_SECONDS)) {
      return "";
    }
    boolean hasYear = parsed.isSupported(ChronoField.YEAR);
    if (parsed.query(TemporalQueries.localDate()) == null
        && (hasYear || !YearlessTime.isDay(parsed))) {
      return hasYear ? "day" : "day of a month";
    }
    boolean timed = type == Type.Scalar.TIMESTAMP;
    return timed && parsed.query(TemporalQueries.localTime()) == null ? "time of day" : "";
  }

  private void error(int offset, int length, String message, String hint) {
    at.error(code, offset, Math.max(1, length), message, hint);
  }
}
