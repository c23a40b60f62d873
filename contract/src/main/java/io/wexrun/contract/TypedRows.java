package io.wexrun.contract;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;

/** Rows of any columns, written down as texts, and values as a store gives them as texts, too. */
public final class TypedRows {
  private TypedRows() {}

  /** Rows at positions 0, 1, 2, ... of a source; null is an absent value. */
  public static Rows of(Schema schema, List<List<String>> texts) {
    return of(schema, 0, texts);
  }

  /** Rows at positions from {@code first} on. */
  public static Rows of(Schema schema, long first, List<List<String>> texts) {
    List<Vector> columns = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      Type type = schema.column(c).type();
      Vector vector = Vectors.forType(type, texts.size());
      for (List<String> row : texts) {
        append(type, row.get(c), vector);
      }
      columns.add(vector);
    }
    int count = texts.size();
    int[] numbers = IntStream.range(0, count).toArray();
    Records records = Records.numbered(new byte[count], numbers, numbers, count, first, null);
    return Rows.all(new Batch(schema, columns, count, records, numbers));
  }

  private static void append(Type type, String text, Vector vector) {
    if (text == null) {
      vector.appendAbsent();
      return;
    }
    byte[] utf8 = text.getBytes(StandardCharsets.UTF_8);
    if (!ValueText.append(type, utf8, 0, utf8.length, vector)) {
      throw new IllegalArgumentException("'" + text + "' is not a value of " + type);
    }
  }

  /** A value as a text that is the same for the same value, however a store gives it. */
  static String text(Type type, Object value) {
    if (value == null) {
      return null;
    }
    if (type instanceof Type.ListOf list) {
      List<String> elements = new ArrayList<>();
      ((List<?>) value).forEach(element -> elements.add(text(list.element(), element)));
      return elements.toString();
    }
    if (type instanceof Type.Struct struct) {
      List<String> fields = new ArrayList<>();
      for (Column field : struct.fields()) {
        Object member = ((Map<?, ?>) value).get(field.name());
        fields.add(field.name() + "=" + text(field.type(), member));
      }
      return fields.toString();
    }
    if (type instanceof Type.Decimal decimal) {
      return new BigDecimal(value.toString()).setScale(decimal.scale()).toPlainString();
    }
    return scalar((Type.Scalar) type, value);
  }

  private static String scalar(Type.Scalar type, Object value) {
    return switch (type) {
      case INT, LONG -> Long.toString(new BigDecimal(value.toString()).longValueExact());
      case DOUBLE -> Double.toString(Double.parseDouble(value.toString()));
      case BYTES -> value instanceof byte[] bytes ? HexFormat.of().formatHex(bytes) : "" + value;
      case TIMESTAMP -> value instanceof Instant ? "" + value : "" + instant(value.toString());
      case JSON -> value.toString().replace(" ", "");
      default -> value.toString();
    };
  }

  private static Instant instant(String text) {
    return OffsetDateTime.parse(text.replaceFirst(" ", "T")).toInstant();
  }
}
