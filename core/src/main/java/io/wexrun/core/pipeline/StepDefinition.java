package io.wexrun.core.pipeline;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * One step of a shape, as data: its kind and what is written under it. Which kinds there are, and
 * what each takes, the kinds themselves know; equal definitions come from a file and from Java.
 *
 * @param kind the key that names the step in a file
 * @param value a text, or a list or map (with texts as keys) of values; every leaf is a text, as in
 *     a file
 */
public record StepDefinition(String kind, Object value) {
  /**
   * Copies the value; numbers and booleans become texts, a list of one text that text, and maps
   * keep their order.
   */
  public StepDefinition {
    value = plain(value);
  }

  private static Object plain(Object value) {
    if (value instanceof List<?> list) {
      List<Object> copy = new ArrayList<>();
      list.forEach(item -> copy.add(plain(item)));
      boolean one = copy.size() == 1 && copy.get(0) instanceof String;
      return one ? copy.get(0) : Collections.unmodifiableList(copy);
    }
    if (value instanceof Map<?, ?> map) {
      Map<String, Object> copy = new LinkedHashMap<>();
      map.forEach((key, item) -> copy.put(String.valueOf(key), plain(item)));
      return Collections.unmodifiableMap(copy);
    }
    return String.valueOf(value);
  }

  /** A step of any kind, its own kinds included. */
  public static StepDefinition of(String kind, Object value) {
    return new StepDefinition(kind, value);
  }

  /** A step that reads text by a template, or by the first of several that fits. */
  public static StepDefinition template(String... templates) {
    return of("template", templates.length == 1 ? templates[0] : List.of(templates));
  }

  /** A step that rejects records lacking one of the fields. */
  public static StepDefinition require(String... fields) {
    return of("require", List.of(fields));
  }

  /** A step that computes a field; more with {@link #and}. */
  public static StepDefinition set(String name, String expression) {
    return of("set", Map.of(name, expression));
  }

  /**
   * This step with one more entry.
   *
   * @throws IllegalStateException if its value is not a map
   */
  public StepDefinition and(String key, Object entry) {
    if (!(value instanceof Map<?, ?> map)) {
      throw new IllegalStateException("a step '" + kind + "' with the value " + value);
    }
    Map<Object, Object> more = new LinkedHashMap<>(map);
    more.put(key, entry);
    return of(kind, more);
  }
}
