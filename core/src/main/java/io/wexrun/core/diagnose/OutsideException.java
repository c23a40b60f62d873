package io.wexrun.core.diagnose;

/**
 * The world outside failed: a disk is full, a file is held by another process, a store refuses. The
 * message says what happened to what, where, and what to do.
 */
public final class OutsideException extends RuntimeException {
  private final boolean lasting;

  /** A failure told in one sentence, which may pass. */
  public OutsideException(String message) {
    this(message, null);
  }

  /** A failure with the exception that it was seen as, which may pass. */
  public OutsideException(String message, Throwable cause) {
    this(message, cause, false);
  }

  private OutsideException(String message, Throwable cause, boolean lasting) {
    super(message, cause);
    this.lasting = lasting;
  }

  /** A failure that stays until somebody does something about it, so that nobody tries again. */
  public static OutsideException lasting(String message) {
    return new OutsideException(message, null, true);
  }

  /** Whether it is of no use to try the same again after a while. */
  public boolean lasting() {
    return lasting;
  }
}
