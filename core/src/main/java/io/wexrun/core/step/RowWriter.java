package io.wexrun.core.step;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;

/** Takes the rows that a step of one's own makes of one row. Valid only during the call. */
public final class RowWriter {
  private final Schema schema;
  private final Vector[] columns;
  private final Map<String, Object> values = new HashMap<>();
  private RowView from;
  private int added;
  private boolean dropped;

  RowWriter(Schema schema, Vector[] columns) {
    this.schema = schema;
    this.columns = columns;
  }

  void begin(RowView row) {
    from = row;
    added = 0;
    dropped = false;
    values.clear();
  }

  int added() {
    return added;
  }

  boolean dropped() {
    return dropped;
  }

  /**
   * Sets a field of the row that {@link #add} will add; fields that are not set keep the value that
   * they had.
   *
   * @param value a {@code String}, {@code Long}, {@code Integer}, {@code Double}, {@code Boolean}
   *     or {@code Instant}, as the field's type wants; empty or null: absent
   */
  public RowWriter set(String name, Object value) {
    if (schema.find(name).isEmpty()) {
      throw new IllegalArgumentException("there is no field '" + name + "' in " + schema.names());
    }
    values.put(name, value instanceof Optional<?> optional ? optional.orElse(null) : value);
    return this;
  }

  /** Adds a row with the fields set, and begins another. Without a call, one row is added. */
  public void add() {
    int rows = columns[0].size();
    from.copy(schema, columns);
    for (Map.Entry<String, Object> set : values.entrySet()) {
      int place = schema.find(set.getKey()).orElseThrow();
      columns[place].truncate(rows);
      append(schema.column(place).type(), set.getValue(), columns[place]);
    }
    values.clear();
    added++;
  }

  /** Drops the record, which is counted. */
  public void drop() {
    dropped = true;
  }

  private static void append(Type type, Object value, Vector to) {
    if (value == null) {
      to.appendAbsent();
    } else if (to instanceof DoubleVector reals) {
      reals.append(((Number) value).doubleValue());
    } else if (to instanceof LongVector numbers && value instanceof Number number) {
      numbers.append(number.longValue());
    } else if (to instanceof LongVector numbers && value instanceof Boolean bool) {
      numbers.append(bool ? 1 : 0);
    } else if (to instanceof LongVector numbers && value instanceof Instant instant) {
      numbers.append(Instants.micros(instant));
    } else if (to instanceof TextVector texts && value instanceof byte[] bytes) {
      texts.append(bytes, 0, bytes.length);
    } else {
      byte[] text = String.valueOf(value).getBytes(StandardCharsets.UTF_8);
      if (!ValueText.append(type, text, 0, text.length, to)) {
        throw new IllegalArgumentException("\"" + value + "\" is not " + type.withArticle());
      }
    }
  }
}
