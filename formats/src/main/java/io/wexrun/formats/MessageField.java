package io.wexrun.formats;

import com.google.protobuf.Descriptors.Descriptor;
import com.google.protobuf.Descriptors.EnumValueDescriptor;
import com.google.protobuf.Descriptors.FieldDescriptor;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.schema.Type.Scalar;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;

/**
 * A field of a message type, and how its values become a column's. Immutable.
 *
 * @param name the column's name
 * @param number its number on the wire
 * @param kind how a single value is written
 * @param repeated whether it is a list
 * @param presence whether "not set" is told apart from the default value
 * @param oneof which of the message's oneofs it is in; -1 for none
 * @param type the column's type
 * @param members for messages their fields
 * @param names for enums the names by number
 */
record MessageField(
    String name,
    int number,
    FieldDescriptor.Type kind,
    boolean repeated,
    boolean presence,
    int oneof,
    Type type,
    List<MessageField> members,
    Map<Integer, byte[]> names) {

  /** The message of an instant: seconds and nanoseconds. */
  private static final String TIMESTAMP = "google.protobuf.Timestamp";

  /** Messages that wrap one value so that it may be absent. */
  private static final Set<String> WRAPPERS =
      Set.of(
          "google.protobuf.DoubleValue",
          "google.protobuf.FloatValue",
          "google.protobuf.Int64Value",
          "google.protobuf.UInt64Value",
          "google.protobuf.Int32Value",
          "google.protobuf.UInt32Value",
          "google.protobuf.BoolValue",
          "google.protobuf.StringValue",
          "google.protobuf.BytesValue");

  /** The fields of a message. */
  static List<MessageField> of(Descriptor message, boolean snake) {
    return of(message, snake, new HashSet<>());
  }

  private static List<MessageField> of(Descriptor message, boolean snake, Set<String> around) {
    List<MessageField> fields = new ArrayList<>();
    around.add(message.getFullName());
    for (FieldDescriptor field : message.getFields()) {
      fields.add(of(field, snake, around));
    }
    around.remove(message.getFullName());
    return fields;
  }

  private static MessageField of(FieldDescriptor field, boolean snake, Set<String> around) {
    String name = snake ? snake(field.getName()) : field.getName();
    List<MessageField> members = List.of();
    Map<Integer, byte[]> names = new HashMap<>();
    Type single;
    if (field.getJavaType() == FieldDescriptor.JavaType.MESSAGE) {
      Descriptor message = field.getMessageType();
      boolean recursive = around.contains(message.getFullName());
      members = recursive ? List.of() : of(message, snake, around);
      single = type(message.getFullName(), members);
    } else {
      if (field.getJavaType() == FieldDescriptor.JavaType.ENUM) {
        for (EnumValueDescriptor value : field.getEnumType().getValues()) {
          names.putIfAbsent(value.getNumber(), value.getName().getBytes(StandardCharsets.UTF_8));
        }
      }
      single = type(field.getType());
    }
    Type type = field.isRepeated() ? new Type.ListOf(single) : single;
    return new MessageField(
        name,
        field.getNumber(),
        field.getType(),
        field.isRepeated(),
        field.hasPresence(),
        field.getContainingOneof() == null ? -1 : field.getContainingOneof().getIndex(),
        type,
        members,
        names);
  }

  /** The type of a message; one without fields, or inside itself, is kept as bytes. */
  private static Type type(String fullName, List<MessageField> members) {
    if (fullName.equals(TIMESTAMP)) {
      return Scalar.TIMESTAMP;
    }
    if (WRAPPERS.contains(fullName)) {
      return members.get(0).type;
    }
    if (members.isEmpty()) {
      return Scalar.BYTES;
    }
    return new Type.Struct(members.stream().map(m -> Column.of(m.name, m.type)).toList());
  }

  private static Type type(FieldDescriptor.Type type) {
    return switch (type) {
      case DOUBLE, FLOAT -> Scalar.DOUBLE;
      case INT32, SINT32, SFIXED32 -> Scalar.INT;
      case INT64, SINT64, SFIXED64, UINT32, FIXED32, UINT64, FIXED64 -> Scalar.LONG;
      case BOOL -> Scalar.BOOL;
      case STRING, ENUM -> Scalar.TEXT;
      case BYTES -> Scalar.BYTES;
      case MESSAGE, GROUP -> throw new IllegalArgumentException("a message has its own type");
    };
  }

  /** {@code feederNo} as {@code feeder_no}. */
  static String snake(String name) {
    return name.replaceAll("([a-z0-9])([A-Z])", "$1_$2")
        .replaceAll("([A-Z])([A-Z][a-z])", "$1_$2")
        .toLowerCase(Locale.ROOT);
  }

  boolean message() {
    return kind == FieldDescriptor.Type.MESSAGE || kind == FieldDescriptor.Type.GROUP;
  }

  /** The type of one value: of a list, its elements. */
  Type single() {
    return type instanceof Type.ListOf list ? list.element() : type;
  }
}
