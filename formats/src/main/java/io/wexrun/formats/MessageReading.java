package io.wexrun.formats;

import com.google.protobuf.Descriptors.FieldDescriptor;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.schema.Type;
import java.util.Arrays;
import java.util.List;

/** Reads messages into columns, in one pass over the bytes. For one thread. */
final class MessageReading {
  private static final long MICROS = 1_000_000L;

  private String fault = "";
  private String faultField = "";
  private boolean broken;

  /** What is wrong with the message read last. */
  String fault() {
    return fault;
  }

  /** Whether the bytes are not a message at all, rather than one with a wrong value. */
  boolean broken() {
    return broken;
  }

  /** The field at fault; empty if none is. */
  String faultField() {
    return faultField;
  }

  /**
   * Adds one row to the columns of a message's fields.
   *
   * @return whether the bytes are a message; if not, some columns may have a value more
   */
  boolean read(
      List<MessageField> fields, List<Vector> columns, byte[] data, int from, int to, int depth) {
    if (depth == 0) {
      fault = "";
      faultField = "";
      broken = false;
    }
    if (depth > Wire.DEEPEST) {
      return broken("messages are nested more than " + Wire.DEEPEST + " deep");
    }
    Wire wire = new Wire();
    wire.over(data, to);
    int rows = rows(fields, columns);
    int hint = 0;
    int at = from;
    while (at < to) {
      int place = wire.varint(at);
      long tag = wire.tag();
      if (place == Wire.FAULT || tag >>> 3 == 0) {
        return broken("no field's tag stands at byte " + (at - from + 1));
      }
      int end = wire.skip(place, tag, depth);
      if (end == Wire.FAULT) {
        return broken("field " + (tag >>> 3) + " at byte " + (at - from + 1) + " does not end");
      }
      // Messages are mostly written in the order of their fields: the same one, or the next.
      int number = find(fields, (int) (tag >>> 3), hint);
      if (number >= 0) {
        hint = number;
        MessageField field = fields.get(number);
        Vector column = columns.get(number);
        int wanted = wireType(field.kind());
        int type = (int) tag & 7;
        boolean taken = true;
        if (field.repeated()) {
          Vector elements = ((ListVector) column).elements();
          if (type == wanted) {
            taken = value(field, elements, data, place, end, wire, depth);
          } else if (type == Wire.LENGTH && packable(wanted)) {
            taken = packed(field, elements, data, place, end, wire, depth);
          }
        } else if (type == wanted) {
          boolean inParts = column.size() > rows && field.message();
          clear(fields, columns, field, rows);
          // A message that is written in parts is all parts together.
          taken =
              inParts
                  ? parts(field, column, data, from, end, depth)
                  : value(field, column, data, place, end, wire, depth);
        }
        if (!taken) {
          faultField = faultField.isEmpty() ? field.name() : field.name() + "." + faultField;
          return false;
        }
      }
      at = end;
    }
    for (int i = 0; i < fields.size(); i++) {
      complete(fields.get(i), columns.get(i), rows);
    }
    return true;
  }

  /** How many rows the columns have; lists tell it even while their elements grow. */
  private static int rows(List<MessageField> fields, List<Vector> columns) {
    return fields.isEmpty() ? 0 : columns.get(0).size();
  }

  /** Takes back what the field, and the others of its oneof, had: the last value counts. */
  private static void clear(
      List<MessageField> fields, List<Vector> columns, MessageField field, int rows) {
    for (int i = 0; i < fields.size(); i++) {
      boolean same = fields.get(i) == field;
      if (same || field.oneof() >= 0 && fields.get(i).oneof() == field.oneof()) {
        columns.get(i).truncate(Math.min(rows, columns.get(i).size()));
      }
    }
  }

  /** Reads all occurrences of a message field in {@code data[from, to)} as one message. */
  private boolean parts(
      MessageField field, Vector column, byte[] data, int from, int to, int depth) {
    Wire wire = new Wire();
    wire.over(data, to);
    byte[] all = {};
    for (int at = from; at < to; ) {
      int place = wire.varint(at);
      long tag = wire.tag();
      at = wire.skip(place, tag, depth);
      if (tag >>> 3 == field.number() && (tag & 7) == wireType(field.kind())) {
        boolean group = (tag & 7) == Wire.GROUP;
        int start = group ? place : wire.length(place);
        int end = group ? groupEnd(data, place, at, field) : at;
        int before = all.length;
        all = Arrays.copyOf(all, before + end - start);
        System.arraycopy(data, start, all, before, end - start);
      }
    }
    return bytes(field, column, all, 0, all.length, depth);
  }

  /** The place of the field with a number, looked for from a place on; -1 if there is none. */
  private static int find(List<MessageField> fields, int number, int from) {
    int size = fields.size();
    int at = from;
    for (int tried = 0; tried < size; tried++) {
      if (fields.get(at).number() == number) {
        return at;
      }
      at = at + 1 == size ? 0 : at + 1;
    }
    return -1;
  }

  private static boolean packable(int wireType) {
    return wireType != Wire.LENGTH && wireType != Wire.GROUP;
  }

  static int wireType(FieldDescriptor.Type type) {
    return switch (type) {
      case DOUBLE, FIXED64, SFIXED64 -> Wire.FIXED64;
      case FLOAT, FIXED32, SFIXED32 -> Wire.FIXED32;
      case STRING, BYTES, MESSAGE -> Wire.LENGTH;
      case GROUP -> Wire.GROUP;
      default -> Wire.VARINT;
    };
  }

  private boolean packed(
      MessageField field, Vector elements, byte[] data, int place, int end, Wire wire, int depth) {
    int at = wire.length(place);
    int type = wireType(field.kind());
    while (at < end) {
      int next = wire.skip(at, type, depth);
      if (next == Wire.FAULT || next > end) {
        return broken("a packed value does not end");
      }
      if (!value(field, elements, data, at, next, wire, depth)) {
        return false;
      }
      at = next;
    }
    return true;
  }

  /** Adds the single value at {@code data[place, end)}, which was found to be whole. */
  private boolean value(
      MessageField field, Vector column, byte[] data, int place, int end, Wire wire, int depth) {
    switch (field.kind()) {
      case DOUBLE, FIXED64, SFIXED64 -> wire.fixed(place, 8);
      case FLOAT, FIXED32, SFIXED32 -> wire.fixed(place, 4);
      case STRING, BYTES, MESSAGE -> {
        return bytes(field, column, data, wire.length(place), end, depth);
      }
      case GROUP -> {
        return bytes(field, column, data, place, groupEnd(data, place, end, field), depth);
      }
      default -> wire.varint(place);
    }
    long raw = wire.value();
    switch (field.kind()) {
      case DOUBLE -> ((DoubleVector) column).append(Double.longBitsToDouble(raw));
      case FLOAT -> ((DoubleVector) column).append(Float.intBitsToFloat((int) raw));
      case SINT32 -> ((LongVector) column).append((int) raw >>> 1 ^ -((int) raw & 1));
      case SINT64 -> ((LongVector) column).append(raw >>> 1 ^ -(raw & 1));
      case INT32, SFIXED32 -> ((LongVector) column).append((int) raw);
      case UINT32, FIXED32 -> ((LongVector) column).append(raw & 0xFFFFFFFFL);
      case BOOL -> ((LongVector) column).append(raw == 0 ? 0 : 1);
      case ENUM -> {
        byte[] name = field.names().get((int) raw);
        if (name == null) {
          ((TextVector) column).append(Integer.toString((int) raw));
        } else {
          ((TextVector) column).append(name, 0, name.length);
        }
      }
      case UINT64, FIXED64 -> {
        if (raw < 0) {
          return wrong(Long.toUnsignedString(raw) + " is more than a long holds");
        }
        ((LongVector) column).append(raw);
      }
      default -> ((LongVector) column).append(raw);
    }
    return true;
  }

  /** Where the tag that ends a group begins: it takes as many bytes as its number needs. */
  private static int groupEnd(byte[] data, int place, int end, MessageField field) {
    int bytes = 1;
    for (long tag = (long) field.number() << 3; tag > 127; tag >>>= 7) {
      bytes++;
    }
    return Math.max(place, end - bytes);
  }

  private boolean bytes(
      MessageField field, Vector column, byte[] data, int from, int to, int depth) {
    if (field.message() && field.single() != Type.Scalar.BYTES) {
      return message(field, column, data, from, to, depth);
    }
    if (field.kind() == FieldDescriptor.Type.STRING && Utf8.firstFault(data, from, to) >= 0) {
      return wrong("its text is not UTF-8");
    }
    ((TextVector) column).append(data, from, to);
    return true;
  }

  private boolean message(
      MessageField field, Vector column, byte[] data, int from, int to, int depth) {
    if (field.single() instanceof Type.Struct) {
      StructVector struct = (StructVector) column;
      if (!read(field.members(), struct.fields(), data, from, to, depth + 1)) {
        return false;
      }
      struct.append();
      return true;
    }
    if (field.single() == Type.Scalar.TIMESTAMP) {
      return timestamp((LongVector) column, data, from, to, depth);
    }
    // A wrapped value: a column of its own for the one member.
    List<Vector> parts =
        field.members().stream()
            .map(m -> io.wexrun.core.batch.Vectors.forType(m.type(), 1))
            .toList();
    if (!read(field.members(), parts, data, from, to, depth + 1)) {
      return false;
    }
    column.appendFrom(parts.get(0), 0);
    return true;
  }

  /** Adds the instant of a message with seconds (field 1) and nanoseconds (field 2). */
  private boolean timestamp(LongVector column, byte[] data, int from, int to, int depth) {
    Wire wire = new Wire();
    wire.over(data, to);
    long seconds = 0;
    int nanos = 0;
    for (int at = from; at < to; ) {
      int place = wire.varint(at);
      long tag = wire.tag();
      at = place == Wire.FAULT || tag >>> 3 == 0 ? Wire.FAULT : wire.skip(place, tag, depth + 1);
      if (at == Wire.FAULT) {
        return broken("a timestamp's field does not end");
      }
      if (tag == 1 << 3) {
        seconds = wire.value();
      } else if (tag == 2 << 3) {
        nanos = (int) wire.value();
      }
    }
    boolean inRange = Math.abs(seconds) < Long.MAX_VALUE / MICROS - 1;
    if (!inRange || nanos < 0 || nanos >= 1_000_000_000) {
      return wrong(seconds + " s and " + nanos + " ns are not an instant");
    }
    column.append(seconds * MICROS + nanos / 1000);
    return true;
  }

  /** Ends a field's row: what was not set is absent, or has the default of its type. */
  private static void complete(MessageField field, Vector column, int rows) {
    if (field.repeated()) {
      ((ListVector) column).append();
    } else if (column.size() > rows) {
      return;
    } else if (field.presence()) {
      column.appendAbsent();
    } else if (column instanceof LongVector numbers) {
      numbers.append(0);
    } else if (column instanceof DoubleVector numbers) {
      numbers.append(0);
    } else {
      byte[] zero = field.names().getOrDefault(0, new byte[0]);
      ((TextVector) column).append(zero, 0, zero.length);
    }
  }

  private boolean broken(String what) {
    fault = what;
    broken = true;
    return false;
  }

  private boolean wrong(String what) {
    fault = what;
    return false;
  }
}
