package io.wexrun.duckdb;

import java.sql.Array;
import java.sql.Blob;
import java.sql.SQLException;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.duckdb.DuckDBStruct;

/**
 * PlainValues of a result set as plain Java: null, Boolean, Number, String, or lists and maps of
 * those.
 */
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
    if (value instanceof DuckDBStruct struct) {
      Map<String, Object> fields = new LinkedHashMap<>();
      for (Map.Entry<String, Object> field : struct.getMap().entrySet()) {
        fields.put(field.getKey(), plain(field.getValue()));
      }
      return fields;
    }
    if (value instanceof OffsetDateTime time) {
      return time.withOffsetSameInstant(ZoneOffset.UTC)
          .format(DateTimeFormatter.ISO_OFFSET_DATE_TIME);
    }
    if (value instanceof Blob blob) {
      return HexFormat.of().formatHex(blob.getBytes(1, (int) blob.length()));
    }
    return value.toString();
  }
}
