package io.wexrun.files.whole;

import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tools.jackson.databind.json.JsonMapper;

/** Rows as JSON objects: times and dates in ISO 8601, bytes in base 64. */
final class RowJson {
  private static final JsonMapper JSON = new JsonMapper();

  private RowJson() {}

  /** A row, as {@link io.wexrun.core.connect.RowsReader.Rows#next} gives it. */
  static byte[] of(Map<String, Object> row) {
    return JSON.writeValueAsBytes(plain(row));
  }

  /** One of its values. */
  static byte[] value(Object value) {
    return JSON.writeValueAsBytes(plain(value));
  }

  private static Object plain(Object value) {
    if (value instanceof Map<?, ?> map) {
      Map<String, Object> all = new LinkedHashMap<>();
      map.forEach((name, each) -> all.put(String.valueOf(name), plain(each)));
      return all;
    } else if (value instanceof List<?> list) {
      List<Object> all = new ArrayList<>();
      list.forEach(each -> all.add(plain(each)));
      return all;
    } else if (value instanceof byte[] bytes) {
      return Base64.getEncoder().encodeToString(bytes);
    } else if (value instanceof Double number && (number.isNaN() || number.isInfinite())) {
      return number.toString();
    } else if (value instanceof Instant || value instanceof LocalDate || value instanceof UUID) {
      return value.toString();
    }
    return value;
  }
}
