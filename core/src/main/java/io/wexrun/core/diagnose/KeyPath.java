package io.wexrun.core.diagnose;

import java.util.ArrayList;
import java.util.List;

/**
 * Where in a definition something stands: keys and indexes from its root, such as {@code
 * shape[0].template}. Definitions made in Java and in YAML have the same paths; only who read a
 * file knows which line a path stands on.
 *
 * @param parts keys (strings) and indexes (integers)
 */
public record KeyPath(List<Object> parts) {
  /** The definition itself. */
  public static final KeyPath ROOT = new KeyPath(List.of());

  /** Copies the parts. */
  public KeyPath {
    parts = List.copyOf(parts);
  }

  /** The place under a key. */
  public KeyPath key(String key) {
    return plus(key);
  }

  /** The place at an index, from 0. */
  public KeyPath index(int index) {
    return plus(index);
  }

  /** The place that holds this one; the root holds itself. */
  public KeyPath parent() {
    return parts.isEmpty() ? this : new KeyPath(parts.subList(0, parts.size() - 1));
  }

  private KeyPath plus(Object part) {
    List<Object> longer = new ArrayList<>(parts);
    longer.add(part);
    return new KeyPath(longer);
  }

  @Override
  public String toString() {
    StringBuilder text = new StringBuilder();
    for (Object part : parts) {
      if (part instanceof Integer index) {
        text.append('[').append(index).append(']');
      } else {
        text.append(text.isEmpty() ? "" : ".").append(part);
      }
    }
    return text.toString();
  }
}
