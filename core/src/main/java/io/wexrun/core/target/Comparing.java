package io.wexrun.core.target;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;

/** A store that compares the tables it has with their definitions. For several threads. */
public interface Comparing {
  /**
   * Compares a table with its definition. Changes nothing.
   *
   * @return empty if the store has no such table, or if it is as defined; one that does not
   *     {@linkplain TableDifference#stops stop} a run if it holds the values in other types
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  Optional<TableDifference> compare(Table table);

  /**
   * Whether there is a table of a name.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  boolean has(String table);

  /**
   * The columns of a table as it is, without those that the store fills by itself and that take no
   * null.
   *
   * @return empty if there is no such table, or if the store does not say
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails, or a column has a type
   *     that cannot be held
   */
  default Optional<Schema> columns(String table) {
    return Optional.empty();
  }

  /**
   * How many rows a table has; empty if there is none, or if that cannot be told at once.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  OptionalLong rows(Table table);

  /**
   * How many rows that were loaded into a table with a key took the places of others, in all
   * transactions that were committed.
   *
   * @return empty if that is not known: the table has no key or is not there, the store does not
   *     count them, or did not when the first rows were loaded
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  default OptionalLong replaced(Table table) {
    return OptionalLong.empty();
  }

  /**
   * The columns that a table got because data had fields for which it had none, in the order in
   * which it got them.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  default List<AddedColumn> added(String table) {
    return List.of();
  }

  /**
   * What the store's user may not do that loading a table needs: as statements that an
   * administrator runs to grant it. Changes nothing.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the store fails
   */
  default List<String> missingRights(Table table) {
    return List.of();
  }

  /** The statement in the store's dialect that makes a table; empty if it has no statements. */
  String ddl(Table table);
}
