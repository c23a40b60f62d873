package io.wexrun.core.written;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;

/**
 * What is written under a step, with its place: reads texts, lists and maps, and complains where
 * something else stands. A value that is wrong reads as if it were empty, so that the rest can be
 * checked. For one thread.
 */
public final class Written {
  private final Object value;
  private final KeyPath path;
  private final Diagnostics diagnostics;

  /**
   * A value at its place.
   *
   * @param value as in {@link io.wexrun.core.pipeline.StepDefinition#value} or in {@link
   *     io.wexrun.core.pipeline.Settings#values}
   */
  public Written(Object value, KeyPath path, Diagnostics diagnostics) {
    this.value = value;
    this.path = path;
    this.diagnostics = diagnostics;
  }

  /** Where it stands. */
  public KeyPath path() {
    return path;
  }

  /** Takes complaints. */
  public Diagnostics diagnostics() {
    return diagnostics;
  }

  /** Whether it is a text. */
  public boolean isText() {
    return !isMap() && !(value instanceof List);
  }

  /** Whether it is a map. */
  public boolean isMap() {
    return value instanceof Map;
  }

  /** The text; empty, with a complaint, if it is none. */
  public String text() {
    if (isText()) {
      return String.valueOf(value);
    }
    error("wrong-form", "this is a single value", "");
    return "";
  }

  /** The items of a list; a text is a list of one. */
  public List<Written> items() {
    List<Written> items = new ArrayList<>();
    if (value instanceof List<?> list) {
      for (Object item : list) {
        items.add(new Written(item, path.index(items.size()), diagnostics));
      }
    } else if (isText()) {
      items.add(this);
    } else {
      error("wrong-form", "this is a list: one '- ' for each item", "");
    }
    return items;
  }

  /** The entries of a map, in order. */
  public Map<String, Written> entries() {
    Map<String, Written> entries = new LinkedHashMap<>();
    if (value instanceof Map<?, ?> map) {
      map.forEach(
          (key, item) ->
              entries.put((String) key, new Written(item, path.key((String) key), diagnostics)));
    } else if (!"".equals(value)) {
      error("wrong-form", "this is written as 'key: value' lines", "");
    }
    return entries;
  }

  /** The entries of a map that may have only some keys. */
  public Map<String, Written> entries(String what, List<String> known) {
    Map<String, Written> entries = entries();
    for (String key : entries.keySet()) {
      if (!known.contains(key)) {
        diagnostics.keyError(
            "unknown-key",
            path.key(key),
            what + " has no key '" + key + "'",
            Diagnostics.nearestOrKnown(key, known, all -> "the keys are " + all));
      }
    }
    return entries;
  }

  /** The text read by a function; empty, with a complaint, where it gives nothing. */
  public <T> Optional<T> parsed(Function<String, Optional<T>> parse, String expected) {
    String text = text();
    Optional<T> parsed = parse.apply(text);
    if (parsed.isEmpty() && isText()) {
      error("bad-value", "'" + text + "' is not " + expected, "");
    }
    return parsed;
  }

  /** One of some words; the first of them, with a complaint, if it is none of them. */
  public String choice(List<String> words) {
    String word = text();
    if (!words.contains(word)) {
      error(
          "bad-value",
          "'" + word + "' is not one of " + String.join(", ", words),
          Diagnostics.nearest(word, words).orElse(""));
      return words.get(0);
    }
    return word;
  }

  /** Whether it says {@code true}; complains if it is not {@code false} then. */
  public boolean flag() {
    return choice(List.of("false", "true")).equals("true");
  }

  /** The character that an entry says; its default if the entry is not there, or none. */
  public static byte character(Map<String, Written> entries, String key, char byDefault) {
    Optional<Byte> written = Optional.ofNullable(entries.get(key)).flatMap(Written::character);
    return written.orElse((byte) byDefault);
  }

  /** One character; empty, with a complaint, if it is none below 128. */
  public Optional<Byte> character() {
    String text = text().equals("tab") ? "\t" : text();
    if (text.length() == 1 && text.charAt(0) < 128) {
      return Optional.of((byte) text.charAt(0));
    }
    error("bad-value", "'" + text + "' is not one character", "write one ASCII character, or tab");
    return Optional.empty();
  }

  /** Reports an error of this value; an empty hint is none. */
  public void error(String code, String message, String hint) {
    diagnostics.error(code, path, message, hint.isEmpty() ? Optional.empty() : Optional.of(hint));
  }

  /** Reports a warning of this value; an empty hint is none. */
  public void warning(String code, String message, String hint) {
    diagnostics.warning(code, path, message, hint.isEmpty() ? Optional.empty() : Optional.of(hint));
  }

  /** Reports an error at some characters of this text. */
  public void error(String code, int offset, int length, String message, String hint) {
    diagnostics.error(
        code, path, offset, length, message, hint.isEmpty() ? Optional.empty() : Optional.of(hint));
  }
}
