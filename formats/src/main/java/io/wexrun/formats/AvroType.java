package io.wexrun.formats;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.schema.Type.Scalar;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import org.apache.avro.LogicalType;
import org.apache.avro.LogicalTypes;
import org.apache.avro.Schema;

/**
 * How values of an Avro schema become a column's (Avro specification 1.12). Immutable.
 *
 * @param kind how a value is written
 * @param logical the logical type's name, or empty
 * @param type the column's type
 * @param nullAt for a union with null, which branch null is; -1 for no union
 * @param members for records their fields, for arrays and maps their element
 * @param symbols for enums the names
 * @param size for fixed, how many bytes
 */
record AvroType(
    Schema.Type kind,
    String logical,
    Type type,
    int nullAt,
    List<Member> members,
    List<byte[]> symbols,
    int size) {

  /** A field of a record, or the element of an array or map. */
  record Member(String name, AvroType type) {}

  /**
   * The type of a schema.
   *
   * @throws IllegalArgumentException if no column can hold its values
   */
  static AvroType of(Schema schema) {
    return of(schema, new HashSet<>());
  }

  boolean nullable() {
    return nullAt >= 0 || kind == Schema.Type.NULL;
  }

  private static AvroType of(Schema schema, Set<String> around) {
    String logical = logical(schema);
    return switch (schema.getType()) {
      case RECORD -> record(schema, around);
      case UNION -> union(schema, around);
      case ARRAY -> {
        AvroType element = of(schema.getElementType(), around);
        yield nested(schema, new Type.ListOf(element.type), List.of(new Member("", element)));
      }
      case MAP -> {
        AvroType value = of(schema.getValueType(), around);
        AvroType key = plain(Schema.create(Schema.Type.STRING), "", Scalar.TEXT);
        Type entry =
            new Type.Struct(List.of(Column.of("key", Scalar.TEXT), Column.of("value", value.type)));
        yield nested(
            schema,
            new Type.ListOf(entry),
            List.of(new Member("key", key), new Member("value", value)));
      }
      case ENUM ->
          new AvroType(
              schema.getType(),
              logical,
              Scalar.TEXT,
              -1,
              List.of(),
              schema.getEnumSymbols().stream()
                  .map(s -> s.getBytes(StandardCharsets.UTF_8))
                  .toList(),
              0);
      case FIXED ->
          new AvroType(
              schema.getType(),
              logical,
              bytes(schema, logical),
              -1,
              List.of(),
              List.of(),
              schema.getFixedSize());
      case BYTES -> plain(schema, logical, bytes(schema, logical));
      case STRING -> plain(schema, logical, logical.equals("uuid") ? Scalar.UUID : Scalar.TEXT);
      case INT -> plain(schema, logical, logical.equals("date") ? Scalar.DATE : Scalar.INT);
      case LONG -> plain(schema, logical, instant(logical) ? Scalar.TIMESTAMP : Scalar.LONG);
      case FLOAT, DOUBLE -> plain(schema, logical, Scalar.DOUBLE);
      case BOOLEAN -> plain(schema, logical, Scalar.BOOL);
      case NULL -> plain(schema, logical, Scalar.TEXT);
    };
  }

  private static String logical(Schema schema) {
    LogicalType logical = schema.getLogicalType();
    return logical == null ? "" : logical.getName();
  }

  private static boolean instant(String logical) {
    return logical.startsWith("timestamp-");
  }

  private static Type bytes(Schema schema, String logical) {
    if (logical.equals("decimal")) {
      LogicalTypes.Decimal decimal = (LogicalTypes.Decimal) schema.getLogicalType();
      if (decimal.getPrecision() > 18) {
        throw new IllegalArgumentException("a decimal has at most 18 digits: " + schema);
      }
      return new Type.Decimal(decimal.getPrecision(), decimal.getScale());
    }
    return Scalar.BYTES;
  }

  private static AvroType plain(Schema schema, String logical, Type type) {
    return new AvroType(schema.getType(), logical, type, -1, List.of(), List.of(), 0);
  }

  private static AvroType nested(Schema schema, Type type, List<Member> members) {
    return new AvroType(schema.getType(), "", type, -1, members, List.of(), 0);
  }

  private static AvroType record(Schema schema, Set<String> around) {
    if (!around.add(schema.getFullName())) {
      throw new IllegalArgumentException(
          "record '" + schema.getFullName() + "' is inside itself, so it has no end");
    }
    List<Member> members = new ArrayList<>();
    schema.getFields().forEach(f -> members.add(new Member(f.name(), of(f.schema(), around))));
    around.remove(schema.getFullName());
    if (members.isEmpty()) {
      throw new IllegalArgumentException("record '" + schema.getFullName() + "' has no fields");
    }
    List<Column> fields = members.stream().map(m -> Column.of(m.name, m.type.type)).toList();
    return nested(schema, new Type.Struct(fields), members);
  }

  /** Only what is one type or null has a column. */
  private static AvroType union(Schema schema, Set<String> around) {
    List<Schema> branches = schema.getTypes();
    int nullAt = -1;
    Schema other = null;
    for (int i = 0; i < branches.size(); i++) {
      if (branches.get(i).getType() == Schema.Type.NULL) {
        nullAt = i;
      } else if (other == null) {
        other = branches.get(i);
      } else {
        throw new IllegalArgumentException(
            "a union is of one type, with or without null, not " + schema);
      }
    }
    if (other == null || branches.size() == 1) {
      throw new IllegalArgumentException("a union is of one type and null, not " + schema);
    }
    AvroType type = of(other, around);
    return new AvroType(
        type.kind, type.logical, type.type, nullAt, type.members, type.symbols, type.size);
  }
}
