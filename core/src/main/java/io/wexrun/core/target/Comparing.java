package io.wexrun.core.target;

import io.wexrun.core.pipeline.Table;
import java.util.Optional;

/** A store that compares the tables it has with their definitions. For several threads. */
public interface Comparing {
  /**
   * Compares a table with its definition. Changes nothing.
   *
   * @return empty if the store has no such table, or if it is as defined
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  Optional<TableDifference> compare(Table table);
}
