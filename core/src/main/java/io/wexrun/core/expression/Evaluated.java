package io.wexrun.core.expression;

import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Vector;
import java.util.function.IntToLongFunction;

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

  /**
   * Whole numbers or booleans computed from these values row by row; absent where they are absent.
   *
   * @param each gives the value of a row that is present
   */
  Evaluated toLongs(IntToLongFunction each) {
    LongVector result = new LongVector(values.size());
    for (int row = 0; row < values.size(); row++) {
      if (values.absent(row)) {
        result.appendAbsent();
      } else {
        result.append(each.applyAsLong(row));
      }
    }
    return new Evaluated(result, failures);
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
