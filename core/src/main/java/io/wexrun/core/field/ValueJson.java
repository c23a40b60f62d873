package io.wexrun.core.field;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.util.Arrays;
import java.util.Base64;

/**
 * Values as JSON (RFC 8259) on one line: numbers and truth values are JSON's own, instants and
 * dates are texts of ISO 8601, bytes are base64, and what is absent is null. What JSON has no
 * number for ({@code NaN}, the infinities) is a text.
 */
public final class ValueJson {
  private static final String HEX = "0123456789abcdef";

  private ValueJson() {}

  /** Adds a value, or null if it is absent. */
  public static void append(Type type, Vector vector, int row, StringBuilder json) {
    if (vector.absent(row)) {
      json.append("null");
    } else if (type instanceof Type.ListOf list) {
      ListVector lists = (ListVector) vector;
      json.append('[');
      for (int i = lists.start(row); i < lists.end(row); i++) {
        json.append(i == lists.start(row) ? "" : ",");
        append(list.element(), lists.elements(), i, json);
      }
      json.append(']');
    } else if (type instanceof Type.Struct struct) {
      json.append('{');
      for (int i = 0; i < struct.fields().size(); i++) {
        Column field = struct.fields().get(i);
        json.append(i == 0 ? "" : ",");
        quoted(field.name(), json);
        json.append(':');
        append(field.type(), ((StructVector) vector).fields().get(i), row, json);
      }
      json.append('}');
    } else if (type instanceof Type.Scalar scalar) {
      scalar(scalar, vector, row, json);
    } else {
      json.append(ValueText.text(type, vector, row)); // A decimal.
    }
  }

  private static void scalar(Type.Scalar type, Vector vector, int row, StringBuilder json) {
    switch (type) {
      case BOOL -> json.append(((LongVector) vector).get(row) != 0);
      case INT, LONG -> json.append(((LongVector) vector).get(row));
      case DOUBLE -> {
        double value = ((DoubleVector) vector).get(row);
        if (Double.isFinite(value)) {
          json.append(value);
        } else {
          json.append('"').append(value).append('"');
        }
      }
      case BYTES -> json.append('"').append(base64((TextVector) vector, row)).append('"');
      case JSON -> oneLine(((TextVector) vector).text(row), json);
      default -> quoted(ValueText.text(type, vector, row), json);
    }
  }

  /** The bytes of a value in base 64. */
  public static String base64(TextVector vector, int row) {
    byte[] bytes = Arrays.copyOfRange(vector.data(), vector.start(row), vector.end(row));
    return Base64.getEncoder().encodeToString(bytes);
  }

  /** JSON may be broken into lines between its values, and only there. */
  private static void oneLine(String text, StringBuilder json) {
    if (text.indexOf('\n') < 0 && text.indexOf('\r') < 0) {
      json.append(text);
    } else {
      json.append(text.replace('\n', ' ').replace('\r', ' '));
    }
  }

  /** Adds a text in quotes. */
  public static void quoted(CharSequence text, StringBuilder json) {
    json.append('"');
    inside(text, json);
    json.append('"');
  }

  /** Adds what stands for a text between quotes. */
  public static void inside(CharSequence text, StringBuilder json) {
    int plain = 0;
    for (int at = 0; at < text.length(); at++) {
      char c = text.charAt(at);
      if (c >= 0x20 && c != '"' && c != '\\') {
        continue;
      }
      json.append(text, plain, at);
      plain = at + 1;
      if (c >= 0x20) {
        json.append('\\').append(c);
      } else {
        json.append("\\u00").append(HEX.charAt(c >> 4)).append(HEX.charAt(c & 0xf));
      }
    }
    json.append(text, plain, text.length());
  }
}
