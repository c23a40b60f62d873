package io.wexrun.sql;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.LocalDate;
import java.time.OffsetDateTime;

/** Reads the values of tables as they are held in batches. */
final class StoredValues {
  private StoredValues() {}

  /** Adds a value of a type that is not nested. */
  static void append(ResultSet rows, int column, Type type, Vector to) throws SQLException {
    if (rows.getObject(column) == null) {
      to.appendAbsent();
    } else if (to instanceof DoubleVector numbers) {
      numbers.append(rows.getDouble(column));
    } else if (to instanceof TextVector texts) {
      if (type == Type.Scalar.BYTES) {
        byte[] bytes = rows.getBytes(column);
        texts.append(bytes, 0, bytes.length);
      } else {
        texts.append(rows.getString(column));
      }
    } else {
      ((LongVector) to).append(whole(rows, column, type));
    }
  }

  private static long whole(ResultSet rows, int column, Type type) throws SQLException {
    if (type instanceof Type.Decimal decimal) {
      return rows.getBigDecimal(column).setScale(decimal.scale()).unscaledValue().longValueExact();
    }
    if (type == Type.Scalar.TIMESTAMP) {
      return Instants.micros(rows.getObject(column, OffsetDateTime.class).toInstant());
    }
    if (type == Type.Scalar.DATE) {
      return rows.getObject(column, LocalDate.class).toEpochDay();
    }
    return type == Type.Scalar.BOOL ? (rows.getBoolean(column) ? 1 : 0) : rows.getLong(column);
  }
}
