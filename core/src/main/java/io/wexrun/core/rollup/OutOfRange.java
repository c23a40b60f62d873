package io.wexrun.core.rollup;

/** What rows add up to does not fit into a column of a rollup. */
public final class OutOfRange extends RuntimeException {
  private static final long serialVersionUID = 1;

  OutOfRange(String column, Object value) {
    super("column " + column + " cannot hold " + value);
  }
}
