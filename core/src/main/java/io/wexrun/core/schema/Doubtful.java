package io.wexrun.core.schema;

import io.wexrun.core.diagnose.Diagnostics;
import java.util.HashSet;
import java.util.List;
import java.util.Set;

/**
 * Fields that steps with mistakes would give. That they are unknown is not told: it would follow
 * from the mistake. For one thread.
 */
public final class Doubtful {
  private final Set<String> names = new HashSet<>();
  private boolean any;

  /** A field that a step would give. */
  public void add(String field) {
    names.add(field);
  }

  /** A step would give fields that cannot be known: from here on it may be any. */
  public void addAny() {
    any = true;
  }

  /** How many fields were added. */
  public int added() {
    return names.size();
  }

  /**
   * Whether a step with a mistake gives this field, or may: it does not look like a misspelt one.
   *
   * @param known the fields that are there
   */
  public boolean mayBe(String field, List<String> known) {
    return names.contains(field) || any && Diagnostics.nearest(field, known).isEmpty();
  }
}
