package io.wexrun.core.expression;

import io.wexrun.core.batch.Vector;

/**
 * The values of an expression for each row of a batch.
 *
 * @param values the values; absent where the row failed
 * @param failures for each row what failed, or null where nothing did; null if no row failed
 */
public record Evaluated(Vector values, String[] failures) {
  static Evaluated of(Vector values) {
    return new Evaluated(values, null);
  }

  /** Whether a row failed. */
  public boolean failed(int row) {
    return failures != null && failures[row] != null;
  }

  /** Why a row failed; only if {@link #failed(int)}. */
  public String failure(int row) {
    return failures[row];
  }

  /** The failures of several operands together: the first one of each row. */
  static String[] merge(Evaluated... operands) {
    String[] merged = null;
    for (Evaluated operand : operands) {
      if (operand.failures == null) {
        continue;
      }
      if (merged == null) {
        merged = operand.failures.clone();
        continue;
      }
      for (int i = 0; i < merged.length; i++) {
        merged[i] = merged[i] == null ? operand.failures[i] : merged[i];
      }
    }
    return merged;
  }
}
