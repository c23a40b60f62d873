package io.wexrun.network.otlp;

import com.google.protobuf.ByteString;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.KeyValue;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;

/**
 * JSON objects, one behind the other, in one array of bytes. Values keep their types: what JSON has
 * none for is text, such as bytes in base 64. For one thread.
 */
final class JsonBytes {
  private static final byte[] HEX = "0123456789abcdef".getBytes(StandardCharsets.US_ASCII);

  /** Values are nested so deep; what is deeper is null. */
  static final int DEEPEST = 64;

  private byte[] data;
  private int length;
  private boolean first;

  JsonBytes(int room) {
    data = new byte[Math.max(room, 256)];
  }

  byte[] data() {
    return data;
  }

  int length() {
    return length;
  }

  void begin() {
    raw('{');
    first = true;
  }

  void end() {
    raw('}');
    first = false;
  }

  private void name(String name) {
    if (!first) {
      raw(',');
    }
    first = false;
    raw('"');
    ascii(name);
    raw('"');
    raw(':');
  }

  void text(String name, String value) {
    if (!value.isEmpty()) {
      name(name);
      quoted(value);
    }
  }

  void number(String name, long value) {
    name(name);
    number(value);
  }

  void hex(String name, ByteString value) {
    if (!value.isEmpty()) {
      name(name);
      raw('"');
      room(value.size() * 2);
      for (int i = 0; i < value.size(); i++) {
        data[length++] = HEX[value.byteAt(i) >> 4 & 15];
        data[length++] = HEX[value.byteAt(i) & 15];
      }
      raw('"');
    }
  }

  /** A value that was written before. */
  void written(String name, byte[] json) {
    if (json.length > 0) {
      name(name);
      room(json.length);
      System.arraycopy(json, 0, data, length, json.length);
      length += json.length;
    }
  }

  void attributes(String name, List<KeyValue> values) {
    if (!values.isEmpty()) {
      name(name);
      object(values, 0);
      first = false;
    }
  }

  /** A body: text as it is, anything else as the JSON that it is. */
  void value(String name, AnyValue value) {
    if (value.getValueCase() != AnyValue.ValueCase.VALUE_NOT_SET) {
      name(name);
      value(value, 0);
      first = false;
    }
  }

  /** Attributes alone. */
  static byte[] of(List<KeyValue> values) {
    if (values.isEmpty()) {
      return new byte[0];
    }
    JsonBytes out = new JsonBytes(256);
    out.object(values, 0);
    return Arrays.copyOf(out.data, out.length);
  }

  /** Whether something of a value would be left out. */
  static boolean isTooDeep(AnyValue value) {
    return isTooDeep(value, 0);
  }

  static boolean areTooDeep(List<KeyValue> values) {
    return values.stream().anyMatch(each -> isTooDeep(each.getValue(), 1));
  }

  private static boolean isTooDeep(AnyValue value, int depth) {
    if (depth > DEEPEST) {
      return true;
    }
    return switch (value.getValueCase()) {
      case ARRAY_VALUE ->
          value.getArrayValue().getValuesList().stream().anyMatch(v -> isTooDeep(v, depth + 1));
      case KVLIST_VALUE ->
          value.getKvlistValue().getValuesList().stream()
              .anyMatch(v -> isTooDeep(v.getValue(), depth + 1));
      default -> false;
    };
  }

  private void object(List<KeyValue> values, int depth) {
    raw('{');
    for (int i = 0; i < values.size(); i++) {
      if (i > 0) {
        raw(',');
      }
      quoted(values.get(i).getKey());
      raw(':');
      value(values.get(i).getValue(), depth + 1);
    }
    raw('}');
  }

  private void value(AnyValue value, int depth) {
    if (depth > DEEPEST) {
      ascii("null");
      return;
    }
    switch (value.getValueCase()) {
      case STRING_VALUE -> quoted(value.getStringValue());
      case BOOL_VALUE -> ascii(value.getBoolValue() ? "true" : "false");
      case INT_VALUE -> number(value.getIntValue());
      case DOUBLE_VALUE -> {
        double number = value.getDoubleValue();
        boolean plain = !Double.isNaN(number) && !Double.isInfinite(number);
        ascii(plain ? Double.toString(number) : "\"" + number + "\"");
      }
      case BYTES_VALUE ->
          ascii(
              "\""
                  + Base64.getEncoder().encodeToString(value.getBytesValue().toByteArray())
                  + "\"");
      case ARRAY_VALUE -> {
        List<AnyValue> values = value.getArrayValue().getValuesList();
        raw('[');
        for (int i = 0; i < values.size(); i++) {
          if (i > 0) {
            raw(',');
          }
          value(values.get(i), depth + 1);
        }
        raw(']');
      }
      case KVLIST_VALUE -> object(value.getKvlistValue().getValuesList(), depth);
      default -> ascii("null");
    }
  }

  /** A text in quotes, as UTF-8; half of a surrogate pair becomes a question mark. */
  private void quoted(String value) {
    int size = value.length();
    room(size * 6 + 2);
    byte[] into = data;
    int at = length;
    into[at++] = '"';
    for (int i = 0; i < size; i++) {
      char c = value.charAt(i);
      if (c < 0x80) {
        if (c == '"' || c == '\\') {
          into[at++] = '\\';
          into[at++] = (byte) c;
        } else if (c < ' ') {
          into[at++] = '\\';
          into[at++] = 'u';
          into[at++] = '0';
          into[at++] = '0';
          into[at++] = HEX[c >> 4];
          into[at++] = HEX[c & 15];
        } else {
          into[at++] = (byte) c;
        }
      } else if (c < 0x800) {
        into[at++] = (byte) (0xC0 | c >> 6);
        into[at++] = (byte) (0x80 | c & 0x3F);
      } else if (!Character.isSurrogate(c)) {
        into[at++] = (byte) (0xE0 | c >> 12);
        into[at++] = (byte) (0x80 | c >> 6 & 0x3F);
        into[at++] = (byte) (0x80 | c & 0x3F);
      } else if (i + 1 < size && Character.isSurrogatePair(c, value.charAt(i + 1))) {
        int point = Character.toCodePoint(c, value.charAt(++i));
        into[at++] = (byte) (0xF0 | point >> 18);
        into[at++] = (byte) (0x80 | point >> 12 & 0x3F);
        into[at++] = (byte) (0x80 | point >> 6 & 0x3F);
        into[at++] = (byte) (0x80 | point & 0x3F);
      } else {
        into[at++] = '?';
      }
    }
    into[at++] = '"';
    length = at;
  }

  private void number(long value) {
    ascii(Long.toString(value));
  }

  private void ascii(String text) {
    room(text.length());
    for (int i = 0; i < text.length(); i++) {
      data[length++] = (byte) text.charAt(i);
    }
  }

  private void raw(char c) {
    room(1);
    data[length++] = (byte) c;
  }

  private void room(int more) {
    if (length + more > data.length) {
      data = Arrays.copyOf(data, Math.max(data.length * 2, length + more));
    }
  }
}
