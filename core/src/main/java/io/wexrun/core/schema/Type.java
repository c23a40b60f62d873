package io.wexrun.core.schema;

import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The type of a column. Every type is held by one of three vectors, its {@link Storage}.
 *
 * <p>Immutable; equal by value; {@link #toString()} is the spelling used in workspace files.
 */
public sealed interface Type {

  /** Which kind of vector holds the values of a type. */
  enum Storage {
    /** 64-bit integers, also booleans (0, 1), instants, dates and decimals (unscaled). */
    LONG,
    /** 64-bit binary floating point. */
    DOUBLE,
    /** Byte strings; UTF-8 for every type but {@link Scalar#BYTES}. */
    TEXT
  }

  /** How values of this type are held in memory. */
  Storage storage();

  /** The types without parameters. */
  enum Scalar implements Type {
    /** True or false, held as 1 or 0. */
    BOOL(Storage.LONG),
    /** Whole numbers of 32 bits. */
    INT(Storage.LONG),
    /** Whole numbers of 64 bits. */
    LONG(Storage.LONG),
    /** IEEE 754 binary64. */
    DOUBLE(Storage.DOUBLE),
    /** UTF-8 text. */
    TEXT(Storage.TEXT),
    /** Any bytes. */
    BYTES(Storage.TEXT),
    /** An instant: microseconds since 1970-01-01T00:00:00Z. */
    TIMESTAMP(Storage.LONG),
    /** A calendar day: days since 1970-01-01. */
    DATE(Storage.LONG),
    /** A UUID in its canonical text form of 36 lower-case characters. */
    UUID(Storage.TEXT),
    /** Any JSON value, kept as text. */
    JSON(Storage.TEXT);

    private final Storage storage;

    Scalar(Storage storage) {
      this.storage = storage;
    }

    @Override
    public Storage storage() {
      return storage;
    }

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /**
   * A decimal number of {@code precision} digits, {@code scale} of them after the point, held as
   * its unscaled value.
   *
   * @param precision 1 to 18
   * @param scale 0 to {@code precision}
   */
  record Decimal(int precision, int scale) implements Type {
    /** Rejects what does not fit into 64 bits. */
    public Decimal {
      if (precision < 1 || precision > 18 || scale < 0 || scale > precision) {
        throw new IllegalArgumentException(
            "decimal(" + precision + "," + scale + "): precision is 1 to 18, scale 0 to precision");
      }
    }

    @Override
    public Storage storage() {
      return Storage.LONG;
    }

    @Override
    public String toString() {
      return "decimal(" + precision + "," + scale + ")";
    }
  }

  /** The spelling of {@code decimal(p,s)}. */
  Pattern DECIMAL = Pattern.compile("decimal\\(\\s*(\\d{1,2})\\s*,\\s*(\\d{1,2})\\s*\\)");

  /** Reads a type's spelling; empty if there is no such type. */
  static Optional<Type> parse(String spelling) {
    for (Scalar scalar : Scalar.values()) {
      if (scalar.toString().equals(spelling)) {
        return Optional.of(scalar);
      }
    }
    Matcher decimal = DECIMAL.matcher(spelling);
    if (decimal.matches()) {
      int precision = Integer.parseInt(decimal.group(1));
      int scale = Integer.parseInt(decimal.group(2));
      if (precision >= 1 && precision <= 18 && scale <= precision) {
        return Optional.of(new Decimal(precision, scale));
      }
    }
    return Optional.empty();
  }

  /**
   * Whether a value of this type can stand in a column of type {@code column} without losing
   * anything and without being parsed: the same type, or a wider number, or JSON as text.
   */
  default boolean fits(Type column) {
    if (equals(column)) {
      return true;
    }
    if (this == Scalar.INT) {
      return column == Scalar.LONG || column == Scalar.DOUBLE;
    }
    return (this == Scalar.JSON || this == Scalar.UUID) && column == Scalar.TEXT;
  }

  /** The spelling with its article: {@code an int}, {@code a text}. */
  default String withArticle() {
    return ("iu".indexOf(toString().charAt(0)) >= 0 && this != Scalar.UUID ? "an " : "a ") + this;
  }

  /**
   * Whether a value of this type may stand in a column of type {@code column} if it is in range,
   * which is then tested for each row.
   */
  default boolean mayFit(Type column) {
    return fits(column) || this == Scalar.LONG && column == Scalar.INT;
  }
}
