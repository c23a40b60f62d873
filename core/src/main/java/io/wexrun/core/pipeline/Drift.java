package io.wexrun.core.pipeline;

import java.util.Locale;

/**
 * What becomes of fields that data have and a table has no column for.
 *
 * @param field the field of a pipeline that holds them, as one JSON object: what its steps picked
 *     no field for
 */
public record Drift(String field, Policy policy) {
  /** What becomes of them. */
  public enum Policy {
    /** They are not kept; the tally counts their values. */
    IGNORE,
    /** They are kept together, in a column of the field's name. */
    KEEP,
    /** Each gets a column of its own. */
    ADD,
    /** A record with one of them dies. */
    DIE;

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }
}
