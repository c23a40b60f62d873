package io.wexrun.core.written;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * What may be written somewhere in a definition, as a JSON Schema (draft 2020-12), so that editors
 * complete and check it. Immutable.
 *
 * @param schema texts, booleans, lists and maps of those
 */
public record Form(Map<String, Object> schema) {
  /** Copies the schema, keeping its order. */
  public Form {
    schema = Collections.unmodifiableMap(new LinkedHashMap<>(schema));
  }

  private static Form of(Object... keysAndValues) {
    Map<String, Object> schema = new LinkedHashMap<>();
    for (int i = 0; i < keysAndValues.length; i += 2) {
      schema.put((String) keysAndValues[i], keysAndValues[i + 1]);
    }
    return new Form(schema);
  }

  /** Anything. */
  public static Form any() {
    return of();
  }

  /** A single value: YAML reads some texts as numbers, booleans or nothing. */
  public static Form text() {
    return of("type", List.of("string", "number", "boolean", "null"));
  }

  /** One of some words. A text with a parameter may become one. */
  public static Form word(String... words) {
    return either(of("enum", values(words)), of("type", "string", "pattern", "\\$\\{"));
  }

  private static List<Object> values(String... words) {
    List<Object> values = new ArrayList<>();
    for (String word : words) {
      boolean bool = word.equals("true") || word.equals("false");
      values.add(bool ? (Object) Boolean.valueOf(word) : word);
    }
    return values;
  }

  /** A list of items, or a single one without brackets. */
  public static Form list(Form item) {
    return either(item, of("type", "array", "items", item.schema));
  }

  /** A map from names to values of one form. */
  public static Form map(Form value) {
    return of("type", "object", "additionalProperties", value.schema);
  }

  /** A map with these keys and no others. */
  public static Form keys(Map<String, Form> keys, String... required) {
    Map<String, Object> properties = new LinkedHashMap<>();
    keys.forEach((key, form) -> properties.put(key, form.schema));
    Map<String, Object> schema = new LinkedHashMap<>();
    schema.put("type", "object");
    schema.put("properties", properties);
    schema.put("additionalProperties", false);
    if (required.length > 0) {
      schema.put("required", List.of(required));
    }
    return new Form(schema);
  }

  /** One of several forms. */
  public static Form either(Form... forms) {
    List<Object> schemas = new ArrayList<>();
    for (Form form : forms) {
      schemas.add(form.schema);
    }
    return of("anyOf", schemas);
  }

  /** How fields are read: a spec, or a struct of specs. */
  public static Form specs() {
    return map(either(text(), of("type", "object")))
        .about("names of fields, each with how it is read: TYPE? 'FORMAT' @ZONE from PLACE");
  }

  /** This form with a sentence for people. */
  public Form about(String text) {
    Map<String, Object> more = new LinkedHashMap<>();
    more.put("description", text);
    more.putAll(schema);
    return new Form(more);
  }

  /** Keys and forms in order, for {@link #keys}. */
  public static Map<String, Form> with(Object... keysAndForms) {
    Map<String, Form> keys = new LinkedHashMap<>();
    for (int i = 0; i < keysAndForms.length; i += 2) {
      keys.put((String) keysAndForms[i], (Form) keysAndForms[i + 1]);
    }
    return keys;
  }
}
