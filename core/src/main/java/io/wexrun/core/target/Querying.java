package io.wexrun.core.target;

/** A store that answers queries. For several threads. */
public interface Querying {
  /** A name in quotes, so that every name can be a table or column in a statement. */
  static String quoted(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }

  /**
   * Runs one SQL statement in the store's own dialect that only reads: no rows, tables, files or
   * settings are changed by it.
   *
   * @throws io.wexrun.core.diagnose.OutsideException with the store's own message if it fails, and
   *     if it is more than one statement, one that does not only read, or out of its bounds
   */
  Answer query(String sql, QueryBounds bounds);

  /** Like {@link #query(String, QueryBounds)}, without bounds. */
  default Answer query(String sql) {
    return query(sql, QueryBounds.NONE);
  }

  /**
   * Runs SQL in the store's own dialect that may change what is there, in a transaction of its own.
   *
   * @throws io.wexrun.core.diagnose.OutsideException with the store's own message if it fails
   */
  Answer change(String sql);
}
