package io.wexrun.sql;

import java.sql.SQLDataException;

/** Rows that cannot be brought to the form of their table: some of them may be, without others. */
public final class UnfitRows extends SQLDataException {
  private static final long serialVersionUID = 1;

  UnfitRows(String why) {
    super(why, "22000");
  }
}
