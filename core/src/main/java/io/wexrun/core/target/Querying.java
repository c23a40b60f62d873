package io.wexrun.core.target;

/** A store that answers queries. For several threads. */
public interface Querying {
  /**
   * Runs one SQL statement in the store's own dialect, in a transaction of its own.
   *
   * @throws io.wexrun.core.diagnose.OutsideException with the store's own message if it fails
   */
  Answer query(String sql);
}
