package io.wexrun.core.target;

/** A flush whose rows and progress are written but not committed. */
public interface Staged {
  /**
   * Commits rows and progress together. When this returns, both survive the loss of power.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it failed; then neither is there
   */
  Receipt commit();
}
