package io.wexrun.postgres;

import io.wexrun.core.schema.Type;
import io.wexrun.sql.StoredColumn;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Which types of the server hold values of ours, and what happens to a value at their edges. A
 * domain holds what the type beneath it holds, and refuses what its constraints refuse.
 */
final class StoredTypes {
  /** What {@link StoredColumn#base} is of an enumeration. */
  static final String ENUM = "enum";

  private static final Pattern NUMERIC = Pattern.compile("numeric\\((\\d+),(-?\\d+)\\)");
  private static final Pattern VARYING = Pattern.compile("character varying(\\((\\d+)\\))?");
  private static final Pattern FIXED = Pattern.compile("(?:character|bpchar)(\\((\\d+)\\))?");
  private static final int MOST_DIGITS = 18;

  private static final String RANGE = "a number beyond its range is refused";
  private static final String FORM = "a text that is not one is refused";

  /** Types whose values have a text form that the server reads. */
  private static final Set<String> TEXT_FORMS =
      Set.of(
          "inet",
          "cidr",
          "macaddr",
          "macaddr8",
          "interval",
          "time without time zone",
          "time with time zone",
          "xml",
          "json",
          "jsonb",
          "uuid");

  private StoredTypes() {}

  /** Our type for values of a type of the server; empty if there is none. */
  static Optional<Type> read(String base) {
    if (base.endsWith("[]")) {
      return read(base.substring(0, base.length() - 2)).map(Type.ListOf::new);
    }
    Matcher numeric = NUMERIC.matcher(base);
    if (numeric.matches()) {
      int scale = Integer.parseInt(numeric.group(2));
      int precision = Math.min(MOST_DIGITS, Integer.parseInt(numeric.group(1)));
      return scale < 0 || scale > precision
          ? Optional.empty()
          : Optional.of(new Type.Decimal(precision, scale));
    }
    return switch (base) {
      case "boolean" -> Optional.of(Type.Scalar.BOOL);
      case "smallint", "integer" -> Optional.of(Type.Scalar.INT);
      case "bigint" -> Optional.of(Type.Scalar.LONG);
      case "double precision", "real", "numeric" -> Optional.of(Type.Scalar.DOUBLE);
      case "bytea" -> Optional.of(Type.Scalar.BYTES);
      case "timestamp with time zone", "timestamp without time zone" ->
          Optional.of(Type.Scalar.TIMESTAMP);
      case "date" -> Optional.of(Type.Scalar.DATE);
      case "uuid" -> Optional.of(Type.Scalar.UUID);
      case "json", "jsonb" -> Optional.of(Type.Scalar.JSON);
      default ->
          isText(base) || base.equals(ENUM) || TEXT_FORMS.contains(base)
              ? Optional.of(Type.Scalar.TEXT)
              : Optional.empty();
    };
  }

  private static boolean isText(String base) {
    return base.equals("text")
        || base.equals("citext")
        || VARYING.matcher(base).matches()
        || FIXED.matcher(base).matches();
  }

  /**
   * What happens to values of a type of ours in a column of another type.
   *
   * @return for people; may be empty, if every value is held as it is; no result if values would
   *     change
   */
  static Optional<String> edge(Type type, StoredColumn column) {
    String base = column.base();
    Optional<String> edge =
        type instanceof Type.Scalar scalar ? edge(scalar, base) : other(type, base);
    return edge.map(
        words ->
            base.equals(column.type()) || base.equals(ENUM)
                ? words
                : (words + "; what the domain does not allow is refused").replaceFirst("^; ", ""));
  }

  private static Optional<String> other(Type type, String base) {
    if (type instanceof Type.Decimal decimal) {
      Matcher numeric = NUMERIC.matcher(base);
      boolean holds =
          base.equals("numeric")
              || numeric.matches() && Integer.parseInt(numeric.group(2)) >= decimal.scale();
      return holds ? Optional.of(base.equals("numeric") ? "" : RANGE) : Optional.empty();
    }
    if (PostgresDialect.isArray(type) && base.endsWith("[]")) {
      String element = base.substring(0, base.length() - 2);
      Type of = ((Type.ListOf) type).element();
      return of instanceof Type.Scalar scalar ? edge(scalar, element) : other(of, element);
    }
    return type.nested() && base.equals("json") ? Optional.of("") : Optional.empty();
  }

  private static Optional<String> edge(Type.Scalar type, String base) {
    if (new PostgresDialect().type(type).equals(base)) {
      return Optional.of("");
    }
    boolean numeric = base.equals("numeric");
    return switch (type) {
      case INT ->
          base.equals("bigint") || numeric || base.equals("double precision")
              ? Optional.of("")
              : base.equals("smallint") || wholeNumbers(base)
                  ? Optional.of(RANGE)
                  : Optional.empty();
      case LONG ->
          numeric
              ? Optional.of("")
              : base.equals("integer") || base.equals("smallint") || wholeNumbers(base)
                  ? Optional.of(RANGE)
                  : Optional.empty();
      case DOUBLE ->
          numeric
              ? Optional.of("")
              : base.equals("real")
                  ? Optional.of("a number is rounded to the nearest real; " + RANGE)
                  : Optional.empty();
      case TEXT -> text(base);
      case TIMESTAMP ->
          base.equals("timestamp without time zone")
              ? Optional.of("a time is kept as it is in UTC")
              : Optional.empty();
      case UUID -> isText(base) ? text(base) : Optional.empty();
      case JSON -> base.equals("json") || base.equals("text") ? Optional.of("") : Optional.empty();
      case BOOL, BYTES, DATE -> Optional.empty();
    };
  }

  private static boolean wholeNumbers(String base) {
    Matcher numeric = NUMERIC.matcher(base);
    return numeric.matches() && Integer.parseInt(numeric.group(2)) >= 0;
  }

  private static Optional<String> text(String base) {
    Matcher varying = VARYING.matcher(base);
    if (varying.matches()) {
      return Optional.of(
          varying.group(2) == null
              ? ""
              : "a text of more than " + varying.group(2) + " characters is refused");
    }
    Matcher fixed = FIXED.matcher(base);
    if (fixed.matches()) {
      String length = fixed.group(2) == null ? "1" : fixed.group(2);
      return Optional.of(
          "a text is filled with blanks, and one of more than "
              + length
              + " characters is refused");
    }
    if (base.equals(ENUM)) {
      return Optional.of("a text that is not one of its labels is refused");
    }
    return isText(base)
        ? Optional.of("")
        : TEXT_FORMS.contains(base) ? Optional.of(FORM) : Optional.empty();
  }

  /** Whether a value of ours is turned into the type only if that is asked for. */
  static boolean needsCast(StoredColumn column) {
    return column.base().equals(ENUM) || TEXT_FORMS.contains(column.base());
  }
}
