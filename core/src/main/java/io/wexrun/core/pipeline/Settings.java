package io.wexrun.core.pipeline;

import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * The settings of a connector (an intake, a store): its kind and named values, as written. The
 * value under the kind's own name is the main one, as in {@code {files: incoming/*.log, longest:
 * 1MB}}.
 *
 * @param kind which connector; the key that comes first in a file
 * @param values names to strings, whole numbers ({@code Long}), doubles, booleans, lists and maps
 *     of those
 */
public record Settings(String kind, Map<String, Object> values) {
  /**
   * The key of the fields of an intake's records, names to specs, where those are JSON objects made
   * of rows: the pipeline reads them before its first step. Empty if they cannot be known yet.
   */
  public static final String COLUMNS = "columns";

  /** The key of the queue to which an intake appends what it receives. */
  public static final String QUEUE = "queue";

  /** Copies the values, keeping their order. */
  public Settings {
    values = Collections.unmodifiableMap(new LinkedHashMap<>(values));
  }

  /** Settings with only the main value. */
  public static Settings of(String kind, Object main) {
    return new Settings(kind, Map.of(kind, main));
  }

  /** These settings with one more value. */
  public Settings with(String key, Object value) {
    Map<String, Object> more = new LinkedHashMap<>(values);
    more.put(key, value);
    return new Settings(kind, more);
  }

  /** The main value as text; empty if it is missing. */
  public String main() {
    return text(kind).orElse("");
  }

  /** A value as text; empty if it was not given. */
  public Optional<String> text(String key) {
    return Optional.ofNullable(values.get(key)).map(String::valueOf);
  }

  /** The names given that are not in {@code known}. */
  public List<String> unknown(List<String> known) {
    return values.keySet().stream().filter(k -> !known.contains(k)).toList();
  }
}
