package io.wexrun.core.schema;

import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.stream.Collectors;

/**
 * The type of a column. Every type is held by one kind of vector, its {@link Storage}.
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
    TEXT,
    /** Lists of values of one type. */
    LIST,
    /** A fixed set of named values. */
    STRUCT
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

  /**
   * Lists of any length, whose elements may be absent.
   *
   * @param element the elements' type
   */
  record ListOf(Type element) implements Type {
    @Override
    public Storage storage() {
      return Storage.LIST;
    }

    @Override
    public String toString() {
      return "list<" + element + ">";
    }
  }

  /**
   * Named values in an order, each of which may be absent.
   *
   * @param fields the names and types; at least one, names distinct, none required
   */
  record Struct(List<Column> fields) implements Type {
    /** Copies the fields. */
    public Struct {
      fields = new Schema(fields).columns();
      if (fields.isEmpty() || fields.stream().anyMatch(Column::required)) {
        throw new IllegalArgumentException("a struct has fields, none of them required");
      }
    }

    @Override
    public Storage storage() {
      return Storage.STRUCT;
    }

    @Override
    public String toString() {
      return fields.stream()
          .map(field -> field.name() + ": " + field.type())
          .collect(Collectors.joining(", ", "{", "}"));
    }
  }

  /** Whether values hold other values: a list or a struct. */
  default boolean nested() {
    return storage() == Storage.LIST || storage() == Storage.STRUCT;
  }

  /**
   * Reads a type's spelling; empty if there is no such type.
   *
   * <pre>
   * Type --&gt; the name of a scalar | "decimal(" p "," s ")" | "list&lt;" Type "&gt;"
   *        | "{" Name ":" Type ("," Name ":" Type)* "}"
   * </pre>
   */
  static Optional<Type> parse(String spelling) {
    return TypeText.parse(spelling);
  }

  /**
   * Whether a value of this type can stand in a column of type {@code column} without losing
   * anything and without being parsed: the same type, or a wider number, or JSON as text; lists if
   * their elements fit, structs if they have the same fields in any order and these fit.
   */
  default boolean fits(Type column) {
    if (equals(column)) {
      return true;
    }
    if (this == Scalar.INT) {
      return column == Scalar.LONG || column == Scalar.DOUBLE;
    }
    if (this instanceof Decimal decimal && column instanceof Decimal to) {
      return decimal.scale == to.scale && decimal.precision <= to.precision;
    }
    if (this instanceof ListOf list && column instanceof ListOf to) {
      return list.element.fits(to.element);
    }
    if (this instanceof Struct struct && column instanceof Struct to) {
      Schema there = new Schema(to.fields);
      return struct.fields.size() == to.fields.size()
          && struct.fields.stream()
              .allMatch(
                  field ->
                      there.find(field.name()).isPresent()
                          && field
                              .type()
                              .fits(there.column(there.find(field.name()).getAsInt()).type()));
    }
    return (this == Scalar.JSON || this == Scalar.UUID) && column == Scalar.TEXT;
  }

  /** The type in a sentence, with its article if it has one: {@code an int}, {@code text}. */
  default String withArticle() {
    if (this instanceof Struct) {
      return "a struct " + this;
    }
    if (this == Scalar.TEXT || this == Scalar.BYTES) {
      return toString();
    }
    if (this == Scalar.JSON) {
      return "JSON";
    }
    return (this == Scalar.INT ? "an " : "a ") + this;
  }

  /**
   * Whether a value of this type may stand in a column of type {@code column} if it is in range,
   * which is then tested for each row.
   */
  default boolean mayFit(Type column) {
    return fits(column) || this == Scalar.LONG && column == Scalar.INT;
  }
}
