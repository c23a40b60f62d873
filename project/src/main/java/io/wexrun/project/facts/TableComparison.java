package io.wexrun.project.facts;

import java.util.List;
import java.util.Map;

/**
 * How a table that was built again differs from the one that it is built for.
 *
 * @param table the table's name
 * @param before rows of the one, up to where the other was built
 * @param after rows of what was built
 * @param onlyBefore rows that only the one has, by all columns that both have
 * @param onlyAfter rows that only the other has
 * @param changed how many of them are one row in both, by its key or its record, with other values
 * @param by what tells a row from others: columns of the key or the origin; empty if nothing does,
 *     and no row counts as changed
 * @param values the columns whose values are distributed otherwise, in the order of the table
 * @param retyped columns that have another type, with both: {@code ms: int, now double}
 * @param missing columns that only the one before has
 * @param fresh columns that only the other has
 * @param examples some of the rows that differ
 * @param unclear whether the pipeline goes on loading meanwhile, and its newer rows cannot be told
 *     from the others
 */
public record TableComparison(
    String table,
    long before,
    long after,
    long onlyBefore,
    long onlyAfter,
    long changed,
    List<String> by,
    List<Values> values,
    List<String> retyped,
    List<String> missing,
    List<String> fresh,
    List<Example> examples,
    boolean unclear) {
  /** Copies the lists. */
  public TableComparison {
    by = List.copyOf(by);
    values = List.copyOf(values);
    retyped = List.copyOf(retyped);
    missing = List.copyOf(missing);
    fresh = List.copyOf(fresh);
    examples = List.copyOf(examples);
  }

  /** Whether the two have the same rows in the same columns, of the same types. */
  public boolean same() {
    return onlyBefore == 0
        && onlyAfter == 0
        && retyped.isEmpty()
        && missing.isEmpty()
        && fresh.isEmpty();
  }

  /**
   * A column whose values are distributed otherwise.
   *
   * @param column its name
   * @param differing how many values come in another number of rows
   * @param counts those that differ most, with how many rows have them before and after
   */
  public record Values(String column, long differing, List<Count> counts) {}

  /** How many rows have a value; {@code value} is null where they have none. */
  public record Count(String value, long before, long after) {}

  /**
   * A row that differs.
   *
   * @param side {@code before} or {@code after}
   * @param row its values by column
   */
  public record Example(String side, Map<String, String> row) {}
}
