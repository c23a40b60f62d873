package io.wexrun.core.batch;

/** The columns of one batch would take more memory than there is for them. */
public final class GrowthException extends RuntimeException {
  private static final long serialVersionUID = 1;

  GrowthException(long limit) {
    super("the step makes more than " + (limit >> 20) + " MB of it");
  }
}
