package io.wexrun.files.whole;

import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.look.FieldLook;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * What a file of rows holds.
 *
 * @param columns what it says itself
 * @param fields what was seen of them, in order
 * @param rows how many rows were looked at
 * @param more whether there are more
 */
public record RowsLook(Schema columns, List<FieldLook> fields, long rows, boolean more) {
  private static final int EXAMPLES = 3;

  /**
   * Looks at the first rows of a file.
   *
   * @param most how many at most
   * @throws IOException as {@link RowsReader} does
   */
  public static RowsLook at(RowsReader reader, Path file, long most) throws IOException {
    Schema columns = reader.columns(file);
    int size = columns.size();
    long[] present = new long[size];
    List<Set<String>> distinct = new ArrayList<>();
    for (int i = 0; i < size; i++) {
      distinct.add(new LinkedHashSet<>());
    }
    long count = 0;
    boolean more;
    try (RowsReader.Rows rows = reader.open(file, 0)) {
      Optional<Map<String, Object>> row = rows.next();
      for (; row.isPresent() && count < most; row = rows.next()) {
        count++;
        for (int i = 0; i < size; i++) {
          Object value = row.get().get(columns.column(i).name());
          present[i] += value == null ? 0 : 1;
          if (value != null && distinct.get(i).size() < FieldLook.MOST_DISTINCT) {
            distinct.get(i).add(text(value));
          }
        }
      }
      more = row.isPresent();
    }
    List<FieldLook> fields = new ArrayList<>();
    for (int i = 0; i < size; i++) {
      Column column = columns.column(i);
      List<String> examples = distinct.get(i).stream().limit(EXAMPLES).toList();
      String type = column.type().toString();
      fields.add(
          new FieldLook(column.name(), type, "", present[i], distinct.get(i).size(), examples));
    }
    return new RowsLook(columns, fields, count, more);
  }

  private static String text(Object value) {
    return value instanceof String text
        ? text
        : unquoted(new String(RowJson.value(value), StandardCharsets.UTF_8));
  }

  private static String unquoted(String json) {
    return json.startsWith("\"") ? json.substring(1, json.length() - 1) : json;
  }
}
