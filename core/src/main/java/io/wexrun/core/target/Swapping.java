package io.wexrun.core.target;

/** A store that puts one table in the place of another. For several threads. */
public interface Swapping {
  /**
   * Gives the table {@code shadow} the name {@code table}, and removes the one that had it,
   * together with their progress; both or nothing. No target of either is open meanwhile. The table
   * is then the one that was the shadow, with its identity.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if there is no such shadow, or the store
   *     fails; then nothing is changed
   */
  void swap(String table, String shadow);
}
