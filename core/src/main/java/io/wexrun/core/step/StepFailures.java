package io.wexrun.core.step;

import io.wexrun.core.batch.GrowthException;
import io.wexrun.core.diagnose.OutsideException;

/** What a step throws: whether the record is to blame, and how a dead letter tells it. */
public final class StepFailures {
  private StepFailures() {}

  /**
   * Whether a failure is about what the step was given. Errors of the machine are not, such as too
   * little memory; a recursion that does not end is.
   */
  public static boolean areOfRecord(Throwable failure) {
    boolean machine =
        failure instanceof VirtualMachineError && !(failure instanceof StackOverflowError);
    return !machine && !(failure instanceof OutsideException);
  }

  /** What a dead letter tells of it. */
  public static String detail(Throwable failure) {
    if (failure instanceof GrowthException) {
      return failure.getMessage();
    }
    String what = failure.getMessage() == null ? "" : ": " + failure.getMessage();
    return failure.getClass().getSimpleName() + what;
  }
}
