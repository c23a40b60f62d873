package io.wexrun.core.target;

import io.wexrun.core.pipeline.Table;
import java.util.Optional;

/** What holds tables. For several threads. */
public interface Store extends AutoCloseable {
  /**
   * Opens a table for a pipeline, making it if it is not there.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if a table is there with other columns
   */
  Target target(String pipeline, Table table);

  /**
   * Compares a table that the store has with its definition. Changes nothing.
   *
   * @return empty if the store has no such table, or if it is as defined
   */
  Optional<TableDifference> compare(Table table);

  /**
   * Runs one SQL statement in the store's own dialect.
   *
   * @throws io.wexrun.core.diagnose.OutsideException with the store's own message if it fails
   */
  Answer query(String sql);

  @Override
  void close();
}
