package io.wexrun.core.pipeline;

import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** One step of a shape, as data. */
public sealed interface StepDefinition {
  /** The key that names the step in a file. */
  String kind();

  /**
   * Reads raw text records by a template.
   *
   * @param template the layout of a line
   */
  record Template(String template) implements StepDefinition {
    @Override
    public String kind() {
      return "template";
    }
  }

  /**
   * Rejects records that lack a field. An empty text counts as lacking.
   *
   * @param fields names
   */
  record Require(List<String> fields) implements StepDefinition {
    /** Copies the names. */
    public Require {
      fields = List.copyOf(fields);
    }

    @Override
    public String kind() {
      return "require";
    }
  }

  /**
   * Computes fields.
   *
   * @param fields names to CEL expressions, computed in order; each sees those before it
   */
  record Set(Map<String, String> fields) implements StepDefinition {
    /** Copies the map, keeping its order. */
    public Set {
      fields = Collections.unmodifiableMap(new LinkedHashMap<>(fields));
    }

    /** This step with one more field. */
    public Set and(String name, String expression) {
      Map<String, String> more = new LinkedHashMap<>(fields);
      more.put(name, expression);
      return new Set(more);
    }

    @Override
    public String kind() {
      return "set";
    }
  }

  /** A step that reads raw text records by a template. */
  static Template template(String template) {
    return new Template(template);
  }

  /** A step that rejects records lacking one of the fields. */
  static Require require(String... fields) {
    return new Require(List.of(fields));
  }

  /** A step that computes a field; more with {@link Set#and}. */
  static Set set(String name, String expression) {
    return new Set(Map.of(name, expression));
  }
}
