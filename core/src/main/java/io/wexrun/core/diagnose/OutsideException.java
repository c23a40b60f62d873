package io.wexrun.core.diagnose;

/**
 * The world outside failed: a disk is full, a file is held by another process, a store refuses. The
 * message says what happened to what, where, and what to do.
 */
public final class OutsideException extends RuntimeException {
  /** A failure told in one sentence. */
  public OutsideException(String message) {
    super(message);
  }

  /** A failure with the exception that it was seen as. */
  public OutsideException(String message, Throwable cause) {
    super(message, cause);
  }
}
