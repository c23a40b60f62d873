package io.wexrun.core.look;

import java.util.HashSet;
import java.util.Locale;
import java.util.Set;

/** Gives fields names that are names, and each only once. For one thread. */
final class FieldNames {
  private final Set<String> taken = new HashSet<>();

  /** Whether a name was given. */
  boolean has(String name) {
    return taken.contains(name);
  }

  /** A name like a text; the text itself if it is one. */
  String unique(String text) {
    String name = text.replaceAll("[^A-Za-z0-9_]+", "_").replaceAll("^_+|_+$", "");
    if (!name.equals(text)) {
      name = name.toLowerCase(Locale.ROOT);
    }
    if (name.isEmpty() || Character.isDigit(name.charAt(0))) {
      name = "f" + name;
    }
    String unique = name;
    for (int i = 2; !taken.add(unique); i++) {
      unique = name + "_" + i;
    }
    return unique;
  }
}
