package io.wexrun.duckdb;

import io.wexrun.core.schema.Type;
import io.wexrun.sql.StoredColumn;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** Which types of DuckDB hold values of ours, and what happens to a value at their edges. */
final class StoredTypes {
  private static final Pattern DECIMAL = Pattern.compile("DECIMAL\\((\\d+),(\\d+)\\)");
  private static final int MOST_DIGITS = 18;
  private static final String ZONELESS = "TIMESTAMP";
  private static final String RANGE = "a number beyond its range is refused";

  private static final Set<String> SMALL =
      Set.of("TINYINT", "SMALLINT", "UTINYINT", "USMALLINT", "UINTEGER");
  private static final Set<String> LARGE = Set.of("BIGINT", "HUGEINT");
  private static final Set<String> UNSIGNED = Set.of("UBIGINT", "UHUGEINT");

  private StoredTypes() {}

  /** Our type for values of a type that is not the database's name for one of ours. */
  static Optional<Type> read(String stored) {
    String name = stored.toUpperCase(Locale.ROOT);
    Matcher decimal = DECIMAL.matcher(name);
    if (decimal.matches() && Integer.parseInt(decimal.group(2)) <= MOST_DIGITS) {
      int precision = Math.min(MOST_DIGITS, Integer.parseInt(decimal.group(1)));
      return Optional.of(new Type.Decimal(precision, Integer.parseInt(decimal.group(2))));
    }
    if (name.startsWith("ENUM(")) {
      return Optional.of(Type.Scalar.TEXT);
    }
    return switch (name) {
      case "TINYINT", "SMALLINT", "UTINYINT", "USMALLINT" -> Optional.of(Type.Scalar.INT);
      case "UINTEGER", "HUGEINT", "UBIGINT", "UHUGEINT" -> Optional.of(Type.Scalar.LONG);
      case "FLOAT" -> Optional.of(Type.Scalar.DOUBLE);
      case ZONELESS -> Optional.of(Type.Scalar.TIMESTAMP);
      default -> Optional.empty();
    };
  }

  /**
   * What happens to values of a type of ours in a column of another type.
   *
   * @return for people; may be empty, if every value is held as it is; no result if values would
   *     change
   */
  static Optional<String> edge(Type type, String stored) {
    String name = stored.toUpperCase(Locale.ROOT);
    Matcher decimal = DECIMAL.matcher(name);
    if (type instanceof Type.Decimal ours) {
      return decimal.matches() && Integer.parseInt(decimal.group(2)) >= ours.scale()
          ? Optional.of(RANGE)
          : Optional.empty();
    }
    if (!(type instanceof Type.Scalar scalar)) {
      return Optional.empty();
    }
    boolean wide = LARGE.contains(name);
    boolean narrow = SMALL.contains(name) || UNSIGNED.contains(name) || decimal.matches();
    return switch (scalar) {
      case INT ->
          wide || name.equals("DOUBLE")
              ? Optional.of("")
              : narrow ? Optional.of(RANGE) : Optional.empty();
      case LONG ->
          wide
              ? Optional.of("")
              : narrow || name.equals("INTEGER") ? Optional.of(RANGE) : Optional.empty();
      case DOUBLE ->
          name.equals("FLOAT")
              ? Optional.of("a number is rounded to the nearest float; " + RANGE)
              : Optional.empty();
      case TEXT ->
          name.startsWith("ENUM(")
              ? Optional.of("a text that is not one of its labels is refused")
              : Optional.empty();
      case TIMESTAMP ->
          name.equals(ZONELESS) ? Optional.of("a time is kept as it is in UTC") : Optional.empty();
      case JSON, UUID -> name.equals("VARCHAR") ? Optional.of("") : Optional.empty();
      case BOOL, BYTES, DATE -> Optional.empty();
    };
  }

  /** Whether a value of ours may not be one of the type. */
  static boolean refuses(String stored) {
    return read(stored).filter(type -> type != Type.Scalar.TIMESTAMP).isPresent();
  }

  /** The columns that are timestamps without a zone. */
  static Set<String> zoneless(List<StoredColumn> columns) {
    return columns.stream()
        .filter(column -> column.type().equals(ZONELESS))
        .map(StoredColumn::name)
        .collect(Collectors.toSet());
  }
}
