package io.wexrun.formats;

import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.schema.Type.Scalar;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/**
 * The properties of an object in a JSON Schema (draft 2020-12): types, formats, {@code maxLength},
 * {@code required}, and {@code $ref} within the file. What it leaves open is {@code json}.
 */
public final class JsonSchemaColumns implements ColumnsReader {
  private static final int DEEPEST = 32;

  @Override
  public String kind() {
    return "json-schema";
  }

  @Override
  public Columns read(Path file, Settings settings, String table) throws IOException {
    JsonNode root;
    try {
      root = new JsonMapper().readTree(Files.readString(file));
    } catch (JacksonException e) {
      throw new IllegalArgumentException("it is not JSON: " + e.getOriginalMessage(), e);
    }
    JsonNode object = resolved(root, root, 0);
    if (!object.path("properties").isObject()) {
      throw new IllegalArgumentException("a table has the properties of an object: it has none");
    }
    Set<String> required = new LinkedHashSet<>();
    object.path("required").forEach(name -> required.add(name.asString()));
    List<Column> columns = new ArrayList<>();
    Map<String, Integer> lengths = new HashMap<>();
    for (Map.Entry<String, JsonNode> property : object.get("properties").properties()) {
      JsonNode schema = resolved(root, property.getValue(), 0);
      String name = property.getKey();
      boolean always = required.contains(name) && !types(schema).contains("null");
      Type type = type(root, schema, 0);
      columns.add(new Column(name, type, always));
      if (type == Scalar.TEXT && schema.path("maxLength").isInt()) {
        lengths.put(name, schema.path("maxLength").asInt());
      }
    }
    return new Columns(new Schema(columns), lengths);
  }

  private static JsonNode resolved(JsonNode root, JsonNode schema, int depth) {
    String to = schema.path("$ref").asString("");
    if (to.isEmpty()) {
      return schema;
    }
    JsonNode found = to.startsWith("#") ? root.at(to.substring(1)) : null;
    if (found == null || found.isMissingNode() || depth > DEEPEST) {
      throw new IllegalArgumentException("'" + to + "' does not lead to a schema in the file");
    }
    return resolved(root, found, depth + 1);
  }

  private static Set<String> types(JsonNode schema) {
    Set<String> types = new LinkedHashSet<>();
    JsonNode written = schema.path("type");
    if (written.isArray()) {
      written.forEach(type -> types.add(type.asString()));
    } else if (written.isString()) {
      types.add(written.asString());
    }
    return types;
  }

  private static Type type(JsonNode root, JsonNode written, int depth) {
    if (depth > DEEPEST) {
      throw new IllegalArgumentException("it is nested more than " + DEEPEST + " deep");
    }
    JsonNode schema = resolved(root, written, 0);
    Set<String> types = types(schema);
    types.remove("null");
    if (types.equals(Set.of("integer", "number"))) {
      return Scalar.DOUBLE;
    }
    if (types.size() != 1) {
      return Scalar.JSON;
    }
    return switch (types.iterator().next()) {
      case "boolean" -> Scalar.BOOL;
      case "integer" -> Scalar.LONG;
      case "number" -> Scalar.DOUBLE;
      case "string" ->
          switch (schema.path("format").asString("")) {
            case "date-time" -> Scalar.TIMESTAMP;
            case "date" -> Scalar.DATE;
            case "uuid" -> Scalar.UUID;
            default -> Scalar.TEXT;
          };
      case "array" ->
          schema.path("items").isObject()
              ? new Type.ListOf(type(root, schema.get("items"), depth + 1))
              : Scalar.JSON;
      case "object" -> struct(root, schema, depth);
      default -> Scalar.JSON;
    };
  }

  private static Type struct(JsonNode root, JsonNode schema, int depth) {
    List<Column> fields = new ArrayList<>();
    for (Map.Entry<String, JsonNode> property : schema.path("properties").properties()) {
      fields.add(Column.of(property.getKey(), type(root, property.getValue(), depth + 1)));
    }
    return fields.isEmpty() ? Scalar.JSON : new Type.Struct(fields);
  }
}
