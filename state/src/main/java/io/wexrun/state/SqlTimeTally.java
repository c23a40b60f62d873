package io.wexrun.state;

import io.wexrun.core.schema.Instants;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.TimeTally;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;

/** What was accounted for over time, in a database. */
final class SqlTimeTally {
  static final String TABLE =
      """
      create table if not exists time_tally (
        pipeline text not null,
        unit text not null,
        since bigint not null,
        taken bigint not null,
        loaded bigint not null,
        died bigint not null,
        dropped bigint not null,
        revived bigint not null,
        primary key (pipeline, unit, since))\
      """;

  private static final String IN_TIME =
      "update time_tally set taken = taken + ?, loaded = loaded + ?, died = died + ?,"
          + " dropped = dropped + ?, revived = revived + ?"
          + " where pipeline = ? and unit = ? and since = ?";
  private static final String NEW_TIME =
      "insert into time_tally (taken, loaded, died, dropped, revived, pipeline, unit, since)"
          + " values (?, ?, ?, ?, ?, ?, ?, ?)";
  private static final String OLD_TIME =
      "delete from time_tally where pipeline = ? and unit = ? and since < ?";
  private static final String OVER =
      "select since, taken, loaded, died, dropped, revived from time_tally"
          + " where pipeline = ? and unit = ? order by since";

  private SqlTimeTally() {}

  /** Notes ranges in the hour and the day of now. */
  static void note(Connection c, String pipeline, List<Account> accounts) throws SQLException {
    long taken = 0;
    long loaded = 0;
    long died = 0;
    long dropped = 0;
    long revived = 0;
    for (Account account : accounts) {
      Counts counts = account.counts();
      boolean replay = ReplaySource.is(account.source());
      taken += replay ? 0 : counts.taken();
      loaded += counts.allLoaded();
      died += replay ? 0 : counts.allDead();
      dropped += counts.dropped();
      revived += replay ? counts.taken() - counts.allDead() - counts.dropped() : 0;
    }
    Instant now = Instant.now();
    for (TimeTally.Unit unit : TimeTally.Unit.values()) {
      Object[] values = {
        taken, loaded, died, dropped, revived, pipeline, unit.name(), Instants.micros(unit.of(now))
      };
      if (SqlDatabase.update(c, IN_TIME, values) == 0) {
        SqlDatabase.update(c, NEW_TIME, values);
        long oldest = Instants.micros(unit.oldest(now));
        SqlDatabase.update(c, OLD_TIME, pipeline, unit.name(), oldest);
      }
    }
  }

  /** What was noted of a pipeline. */
  static List<TimeTally> read(Connection c, String pipeline, TimeTally.Unit unit)
      throws SQLException {
    List<TimeTally> all = new ArrayList<>();
    SqlDatabase.query(
        c,
        row ->
            all.add(
                new TimeTally(
                    Instants.instant(row.getLong(1)),
                    row.getLong(2),
                    row.getLong(3),
                    row.getLong(4),
                    row.getLong(5),
                    row.getLong(6))),
        OVER,
        pipeline,
        unit.name());
    return all;
  }
}
