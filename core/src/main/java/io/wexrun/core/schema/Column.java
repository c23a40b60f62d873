package io.wexrun.core.schema;

import java.util.Objects;

/**
 * A named, typed column.
 *
 * @param name not empty
 * @param type its type
 * @param required whether every row must have a value
 */
public record Column(String name, Type type, boolean required) {
  /** Rejects missing parts. */
  public Column {
    Objects.requireNonNull(type, "type");
    if (name.isEmpty()) {
      throw new IllegalArgumentException("a column needs a name");
    }
  }

  /** A column whose values may be absent. */
  public static Column of(String name, Type type) {
    return new Column(name, type, false);
  }

  /** A column that every row must fill. */
  public static Column required(String name, Type type) {
    return new Column(name, type, true);
  }

  @Override
  public String toString() {
    return name + ": " + type + (required ? " required" : "");
  }
}
