package io.wexrun.sql;

import io.wexrun.core.target.TableDifference;
import java.util.Optional;

/**
 * A column of a table in a database.
 *
 * @param type as the database spells it
 * @param required whether it takes no null
 * @param filled whether the database fills it where nothing is said of it
 * @param base the type beneath a domain; the same as {@code type} of others
 */
public record StoredColumn(
    String name, String type, boolean required, boolean filled, String base) {
  /** A column whose type is no domain. */
  public StoredColumn(String name, String type, boolean required, boolean filled) {
    this(name, type, required, filled, type);
  }

  /**
   * How this column of a definition differs from the one that is there.
   *
   * @param before null if there is none
   */
  TableDifference.Column differs(StoredColumn before, String what) {
    return new TableDifference.Column(
        name, Optional.ofNullable(before).map(StoredColumn::words), Optional.of(words()), what);
  }

  private String words() {
    return type + (required ? " not null" : "");
  }
}
