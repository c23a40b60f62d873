package io.wexrun.core.diagnose;

/**
 * The world outside failed: a disk is full, a file is held by another process, a store refuses. The
 * message says what happened to what, where, and what to do; secrets in it are masked.
 */
public class OutsideException extends RuntimeException {
  private final boolean lasting;
  private final boolean waits;

  /** A failure told in one sentence, which may pass. */
  public OutsideException(String message) {
    this(message, null);
  }

  /** A failure with the exception that it was seen as, which may pass. */
  public OutsideException(String message, Throwable cause) {
    this(message, cause, false, false);
  }

  private OutsideException(String message, Throwable cause, boolean lasting, boolean waits) {
    super(Shown.masked(message), cause);
    this.lasting = lasting;
    this.waits = waits;
  }

  /** A failure that stays until somebody does something about it, so that nobody tries again. */
  public static OutsideException lasting(String message) {
    return new OutsideException(message, null, true, false);
  }

  /** A failure that must not be tried again before somebody says so. */
  public static OutsideException untilTold(String message) {
    return new OutsideException(message, null, true, true);
  }

  /** Whether nothing may be tried again before somebody says so. */
  public boolean waitsUntilTold() {
    return waits;
  }

  /** Whether it is of no use to try the same again after a while. */
  public boolean lasting() {
    return lasting;
  }
}
