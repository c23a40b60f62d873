package io.wexrun.formats;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.schema.Type;
import java.math.BigInteger;
import java.util.Arrays;
import java.util.List;
import org.apache.avro.Schema;

/** Reads data in Avro's binary encoding into columns. For one thread. */
final class AvroReading {
  private static final int FAULT = -1;

  /** Elements that take no bytes could be any number; more than this is not a record. */
  private static final int MOST_ELEMENTS = 10_000_000;

  private byte[] data = {};
  private int end;
  private long value;
  private int elements;
  private String fault = "";
  private String faultField = "";

  String fault() {
    return fault;
  }

  /** The field at fault; empty if it is the record as a whole. */
  String faultField() {
    return faultField;
  }

  /**
   * Adds one row to the columns of a record's fields.
   *
   * @return whether the bytes are such a record; if not, some columns may have a value more
   */
  boolean read(AvroType record, List<Vector> columns, byte[] bytes, int from, int to) {
    data = bytes;
    end = to;
    elements = 0;
    faultField = "";
    int at = from;
    for (int i = 0; i < columns.size(); i++) {
      AvroType.Member member = record.members().get(i);
      at = value(member.type(), columns.get(i), at);
      if (at == FAULT) {
        faultField = member.name();
        return false;
      }
    }
    if (at != to) {
      fault = Counted.of(to - at, "byte") + " too many, behind the record";
      return false;
    }
    return true;
  }

  private int fail(String what) {
    fault = what;
    return FAULT;
  }

  /** Reads a zig-zag varint. */
  private int number(int at) {
    long read = 0;
    int place = at;
    for (int shift = 0; shift < 70; shift += 7) {
      if (place >= end) {
        return fail("the record ends in a number");
      }
      byte b = data[place++];
      if (shift < 64) {
        read |= (b & 0x7FL) << shift;
      }
      if (b >= 0) {
        value = read >>> 1 ^ -(read & 1);
        return place;
      }
    }
    return fail("a number has more than ten bytes");
  }

  /** Reads a length; the bytes that it counts are there. */
  private int length(int at) {
    int place = number(at);
    if (place != FAULT && (value < 0 || value > end - place)) {
      return fail("a length of " + value + " is more than the record has");
    }
    return place;
  }

  private int value(AvroType type, Vector column, int at) {
    int place = at;
    if (type.nullAt() >= 0) {
      place = number(at);
      if (place == FAULT) {
        return FAULT;
      }
      if (value < 0 || value > 1) {
        return fail("a union has no branch " + value);
      }
      if (value == type.nullAt()) {
        column.appendAbsent();
        return place;
      }
    }
    return switch (type.kind()) {
      case NULL -> {
        column.appendAbsent();
        yield place;
      }
      case BOOLEAN -> bool(column, place);
      case INT, LONG -> whole(type, (LongVector) column, place);
      case FLOAT -> real((DoubleVector) column, place, 4);
      case DOUBLE -> real((DoubleVector) column, place, 8);
      case ENUM -> symbol(type, (TextVector) column, place);
      case FIXED ->
          end - place < type.size()
              ? fail("the record ends in a fixed value")
              : bytes(type, column, place, place + type.size());
      case BYTES, STRING -> {
        int start = length(place);
        yield start == FAULT ? FAULT : bytes(type, column, start, start + (int) value);
      }
      case RECORD -> struct(type, (StructVector) column, place);
      case ARRAY, MAP -> list(type, (ListVector) column, place);
      case UNION -> throw new IllegalStateException("a union is read as what it holds");
    };
  }

  private int bool(Vector column, int at) {
    if (at >= end || data[at] < 0 || data[at] > 1) {
      return fail("a boolean is 0 or 1");
    }
    ((LongVector) column).append(data[at]);
    return at + 1;
  }

  private int whole(AvroType type, LongVector column, int at) {
    int place = number(at);
    if (place == FAULT) {
      return FAULT;
    }
    if (type.kind() == Schema.Type.INT && value != (int) value) {
      return fail(value + " is not an int");
    }
    long read = value;
    if (type.type() == Type.Scalar.TIMESTAMP) {
      if (type.logical().endsWith("millis")) {
        if (Math.abs(read) > Long.MAX_VALUE / 1000) {
          return fail(read + " ms are not an instant");
        }
        read *= 1000;
      } else if (type.logical().endsWith("nanos")) {
        read = Math.floorDiv(read, 1000);
      }
    }
    column.append(read);
    return place;
  }

  private int real(DoubleVector column, int at, int bytes) {
    if (end - at < bytes) {
      return fail("the record ends in a number");
    }
    long bits = 0;
    for (int i = bytes - 1; i >= 0; i--) {
      bits = bits << 8 | data[at + i] & 0xFF;
    }
    column.append(bytes == 4 ? Float.intBitsToFloat((int) bits) : Double.longBitsToDouble(bits));
    return at + bytes;
  }

  private int symbol(AvroType type, TextVector column, int at) {
    int place = number(at);
    if (place == FAULT) {
      return FAULT;
    }
    if (value < 0 || value >= type.symbols().size()) {
      return fail("the enum has no symbol " + value);
    }
    byte[] symbol = type.symbols().get((int) value);
    column.append(symbol, 0, symbol.length);
    return place;
  }

  private int bytes(AvroType type, Vector column, int from, int to) {
    if (type.type() instanceof Type.Decimal decimal) {
      BigInteger unscaled =
          from == to ? BigInteger.ZERO : new BigInteger(Arrays.copyOfRange(data, from, to));
      if (unscaled.abs().compareTo(BigInteger.TEN.pow(decimal.precision())) >= 0) {
        return fail(unscaled + " has more than " + decimal.precision() + " digits");
      }
      ((LongVector) column).append(unscaled.longValue());
      return to;
    }
    if (type.type() == Type.Scalar.UUID) {
      return ValueText.append(type.type(), data, from, to, column) ? to : fail("it is no UUID");
    }
    if (type.kind() == Schema.Type.STRING && Utf8.firstFault(data, from, to) >= 0) {
      return fail("its text is not UTF-8");
    }
    ((TextVector) column).append(data, from, to);
    return to;
  }

  private int struct(AvroType type, StructVector column, int at) {
    int place = at;
    for (int i = 0; i < type.members().size(); i++) {
      AvroType.Member member = type.members().get(i);
      place = value(member.type(), column.fields().get(i), place);
      if (place == FAULT) {
        fault = member.name() + ": " + fault;
        return FAULT;
      }
    }
    column.append();
    return place;
  }

  /**
   * Blocks of elements, each with their number; a negative one has the block's length behind it.
   */
  private int list(AvroType type, ListVector column, int at) {
    int place = number(at);
    while (place != FAULT && value != 0) {
      long count = value;
      if (count < 0) {
        count = -count;
        place = number(place);
        if (place == FAULT) {
          return FAULT;
        }
      }
      for (long i = 0; i < count; i++) {
        if (++elements > MOST_ELEMENTS) {
          return fail("it has more than " + MOST_ELEMENTS + " elements");
        }
        place = element(type, column, place);
        if (place == FAULT) {
          return FAULT;
        }
      }
      place = number(place);
    }
    if (place != FAULT) {
      column.append();
    }
    return place;
  }

  private int element(AvroType type, ListVector column, int at) {
    if (type.kind() == Schema.Type.ARRAY) {
      return value(type.members().get(0).type(), column.elements(), at);
    }
    StructVector entry = (StructVector) column.elements();
    int place = at;
    for (int i = 0; i < 2 && place != FAULT; i++) {
      place = value(type.members().get(i).type(), entry.fields().get(i), place);
    }
    if (place != FAULT) {
      entry.append();
    }
    return place;
  }
}
