package io.wexrun.state;

import io.wexrun.core.schema.Instants;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;

/** The history in a database. */
final class SqlHistory implements History {
  static final String TABLE =
      """
      create table if not exists act (
        number integer primary key autoincrement,
        time bigint not null,
        by text not null,
        what text not null,
        subject text not null,
        detail text not null)\
      """;

  private static final String NOTE =
      "insert into act (time, by, what, subject, detail) values (?, ?, ?, ?, ?)";
  private static final String FORGET =
      "delete from act where number <= (select max(number) from act) - " + MOST;
  private static final String LATEST =
      "select time, by, what, subject, detail from act order by number desc limit ?";

  private final SqlDatabase database;

  SqlHistory(SqlDatabase database) {
    this.database = database;
  }

  @Override
  public void note(Act act) {
    database.transaction(
        "write the history",
        c -> {
          long time = Instants.micros(act.time());
          SqlDatabase.update(c, NOTE, time, act.by(), act.what(), act.subject(), act.detail());
          return SqlDatabase.update(c, FORGET);
        });
  }

  @Override
  public List<Act> latest(int most) {
    return database.transaction(
        "read the history",
        c -> {
          List<Act> acts = new ArrayList<>();
          SqlDatabase.query(
              c,
              row ->
                  acts.add(
                      new Act(
                          Instants.instant(row.getLong(1)),
                          row.getString(2),
                          row.getString(3),
                          row.getString(4),
                          row.getString(5))),
              LATEST,
              most);
          Collections.reverse(acts);
          return acts;
        });
  }
}
