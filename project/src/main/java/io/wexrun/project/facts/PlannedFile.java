package io.wexrun.project.facts;

import io.wexrun.core.connect.PlannedSource;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * A file that a run would take, or not.
 *
 * @param values what its path carries, as it stands there, by the names of the intake's pattern
 */
public record PlannedFile(PlannedSource source, Map<String, String> values) {
  /** Copies the values, keeping their order. */
  public PlannedFile {
    values = Collections.unmodifiableMap(new LinkedHashMap<>(values));
  }
}
