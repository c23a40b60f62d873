package io.wexrun.core.target;

/** A store that answers queries. For several threads. */
public interface Querying {
  /**
   * Runs one SQL statement in the store's own dialect that only reads: no rows, tables, files or
   * settings are changed by it.
   *
   * @throws io.wexrun.core.diagnose.OutsideException with the store's own message if it fails, and
   *     if it is more than one statement, or one that does not only read
   */
  Answer query(String sql);

  /**
   * Runs SQL in the store's own dialect that may change what is there, in a transaction of its own.
   *
   * @throws io.wexrun.core.diagnose.OutsideException with the store's own message if it fails
   */
  Answer change(String sql);
}
