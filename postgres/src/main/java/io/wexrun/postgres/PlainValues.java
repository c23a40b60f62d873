package io.wexrun.postgres;

import java.sql.Array;
import java.sql.SQLException;
import java.sql.Timestamp;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;

/** Values of a result set as plain Java: null, Boolean, Number, String, or lists of those. */
final class PlainValues {
  private PlainValues() {}

  static Object plain(Object value) throws SQLException {
    if (value == null || value instanceof Boolean || value instanceof Number) {
      return value;
    }
    if (value instanceof Array array) {
      List<Object> elements = new ArrayList<>();
      for (Object element : (Object[]) array.getArray()) {
        elements.add(plain(element));
      }
      return elements;
    }
    if (value instanceof Timestamp time) {
      return time.toInstant().toString();
    }
    if (value instanceof byte[] bytes) {
      return HexFormat.of().formatHex(bytes);
    }
    return value.toString();
  }
}
