package io.wexrun.core.target;

import java.util.List;
import java.util.Optional;

/**
 * How a table in a store differs from its definition.
 *
 * @param table its name
 * @param columns those that differ, in the order of the definition, then those that only the store
 *     has
 * @param ddl statements in the store's dialect that would make it as defined, without its rows
 *     getting lost where that can be; to be read by people before they run them
 * @param stops whether rows cannot be loaded; if not, the columns hold the values, and what they
 *     say happens at the edges of their types
 */
public record TableDifference(String table, List<Column> columns, List<String> ddl, boolean stops) {
  /** Copies the lists. */
  public TableDifference {
    columns = List.copyOf(columns);
    ddl = List.copyOf(ddl);
  }

  /**
   * A column that differs.
   *
   * @param there its type in the store, in the store's words; empty if it has none
   * @param defined its type by the definition, in the store's words; empty if it has none
   * @param what the difference, for people
   */
  public record Column(
      String name, Optional<String> there, Optional<String> defined, String what) {}
}
