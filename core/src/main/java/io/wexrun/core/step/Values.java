package io.wexrun.core.step;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.time.LocalDate;

/** Single values as text, and back. */
public final class Values {
  private Values() {}

  /**
   * Adds the value that a text stands for to a vector of the type.
   *
   * @return whether it stands for one; if not, nothing was added
   */
  public static boolean append(Type type, byte[] data, int from, int to, Vector vector) {
    return Field.of("", type).append(data, from, to, vector);
  }

  /**
   * A value as the text that {@link #append} reads; bytes as UTF-8.
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
}
