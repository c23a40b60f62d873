package io.wexrun.core.field;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.time.LocalDate;

/** Single values as text, and back. */
public final class ValueText {
  private ValueText() {}

  /**
   * Adds the value that a text stands for to a vector of the type.
   *
   * @return whether it stands for one; if not, nothing was added
   */
  public static boolean append(Type type, byte[] data, int from, int to, Vector vector) {
    return Field.of("", type).append(data, from, to, vector, 0);
  }

  /**
   * A value as the text that {@link #append} reads; bytes as UTF-8, lists and structs as JSON.
   *
   * @param row one whose value is not absent
   */
  public static String text(Type type, Vector vector, int row) {
    if (vector instanceof TextVector texts) {
      return texts.text(row);
    }
    if (vector instanceof DoubleVector doubles) {
      return Double.toString(doubles.get(row));
    }
    if (type.nested()) {
      StringBuilder json = new StringBuilder();
      json(type, vector, row, json);
      return json.toString();
    }
    long value = ((LongVector) vector).get(row);
    if (type instanceof Type.Decimal decimal) {
      return BigDecimal.valueOf(value, decimal.scale()).toPlainString();
    }
    return switch ((Type.Scalar) type) {
      case BOOL -> value != 0 ? "true" : "false";
      case TIMESTAMP -> Instants.instant(value).toString();
      case DATE -> LocalDate.ofEpochDay(value).toString();
      default -> Long.toString(value);
    };
  }

  private static void json(Type type, Vector vector, int row, StringBuilder json) {
    if (vector.absent(row)) {
      json.append("null");
    } else if (type instanceof Type.ListOf list) {
      ListVector lists = (ListVector) vector;
      json.append('[');
      for (int i = lists.start(row); i < lists.end(row); i++) {
        json.append(i == lists.start(row) ? "" : ", ");
        json(list.element(), lists.elements(), i, json);
      }
      json.append(']');
    } else if (type instanceof Type.Struct struct) {
      json.append('{');
      for (int i = 0; i < struct.fields().size(); i++) {
        Column field = struct.fields().get(i);
        json.append(i == 0 ? "\"" : ", \"").append(field.name()).append("\": ");
        json(field.type(), ((StructVector) vector).fields().get(i), row, json);
      }
      json.append('}');
    } else {
      boolean plain =
          type == Type.Scalar.JSON
              || type.storage() != Type.Storage.TEXT
                  && type != Type.Scalar.TIMESTAMP
                  && type != Type.Scalar.DATE;
      String text = text(type, vector, row);
      if (plain) {
        json.append(text);
      } else {
        ValueJson.quoted(text, json);
      }
    }
  }
}
