package io.wexrun.core.reference;

import java.util.function.Supplier;

/**
 * Finds what steps need beside the records: reference tables, and schemas. What it returns for a
 * table gives the table as it is now; the same object as long as the table has not changed. For
 * several threads.
 */
public interface References {
  /**
   * The table in a file.
   *
   * @param name from the workspace's folder on
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be read, now or later
   */
  Supplier<ReferenceTable> file(String name);

  /**
   * A table of a store.
   *
   * @param name a table of the workspace, or {@code STORE.TABLE}
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be read
   */
  Supplier<ReferenceTable> table(String name);

  /**
   * The bytes of a file that tells how records are written, such as a schema.
   *
   * @param name from the workspace's folder on
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be read
   */
  byte[] bytes(String name);
}
