package io.wexrun.contract;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tools.jackson.databind.DeserializationFeature;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** Rows of tables that stores keep as JSON objects. */
public final class JsonRows {
  private static final JsonMapper JSON =
      JsonMapper.builder().enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS).build();

  private JsonRows() {}

  /**
   * The values of a row, in the order of the table's columns, as {@link ValuesContract#rows} wants
   * them.
   *
   * @param json an object
   */
  public static List<Object> values(Table table, String json) {
    JsonNode object = JSON.readTree(json);
    List<Object> row = new ArrayList<>();
    for (Column column : table.schema().columns()) {
      JsonNode value = object.get(column.name());
      row.add(
          value.isNull()
              ? null
              : column.type() == Type.Scalar.JSON
                  ? value.toString()
                  : column.type() == Type.Scalar.BYTES
                      ? HexFormat.of().formatHex(Base64.getDecoder().decode(value.asString()))
                      : plain(column.type(), value));
    }
    return row;
  }

  private static Object plain(Type type, JsonNode node) {
    if (node == null || node.isNull()) {
      return null;
    }
    if (type instanceof Type.ListOf list) {
      List<Object> elements = new ArrayList<>();
      node.forEach(element -> elements.add(plain(list.element(), element)));
      return elements;
    }
    if (type instanceof Type.Struct struct) {
      Map<String, Object> fields = new LinkedHashMap<>();
      struct.fields().forEach(f -> fields.put(f.name(), plain(f.type(), node.get(f.name()))));
      return fields;
    }
    if (type == Type.Scalar.DOUBLE) {
      return node.asDouble();
    }
    return node.isNumber()
        ? node.numberValue()
        : node.isBoolean() ? node.asBoolean() : node.asString();
  }
}
