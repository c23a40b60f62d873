package io.wexrun.core.reference;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;

/**
 * A table that lookups add columns from, as text.
 *
 * @param name what it is called in messages
 * @param columns the names in order
 * @param rows the values of each row, as many as there are columns; null where absent
 */
public record ReferenceTable(String name, List<String> columns, List<List<String>> rows) {
  /** Copies the names and rows. */
  public ReferenceTable {
    columns = List.copyOf(columns);
    rows = Collections.unmodifiableList(new ArrayList<>(rows));
  }
}
