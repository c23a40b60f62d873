package io.wexrun.state;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.TimeTally;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** When source partitions were accounted for up to where, in a database. */
final class SqlMarks {
  static final String TABLE =
      """
      create table if not exists source_mark (
        pipeline text not null,
        source text not null,
        time bigint not null,
        position bigint not null,
        primary key (pipeline, source, time))\
      """;

  private static final long MINUTE = 60_000_000;
  private static final long HOUR = 60 * MINUTE;
  private static final int DAYS_OF_MINUTES = 2;

  private static final String MARK =
      "insert into source_mark (pipeline, source, time, position) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, time) do update set position = excluded.position";
  private static final String IS_NEW =
      "select count(*) from source_mark where pipeline = ? and source = ? and time >= ?";

  /** Of each hour before a time only the last mark stays. */
  private static final String THIN =
      "delete from source_mark where pipeline = ? and source = ? and time < ? and exists"
          + " (select 1 from source_mark m where m.pipeline = source_mark.pipeline and m.source ="
          + " source_mark.source and m.time > source_mark.time and m.time / "
          + HOUR
          + " = source_mark.time / "
          + HOUR
          + ")";

  private static final String FORGET =
      "delete from source_mark where pipeline = ? and source = ? and time < ?";
  private static final String BY =
      "select min(time) from source_mark where pipeline = ? and source = ? and position > ?";
  private static final String IN_HOUR =
      "select count(*) from source_mark where pipeline = ? and source = ? and time / "
          + HOUR
          + " = ?";

  private SqlMarks() {}

  /** Notes how far source partitions have got now. */
  static void note(Connection c, String pipeline, List<Account> accounts) throws SQLException {
    Instant now = Instant.now();
    long minute = Instants.micros(now.truncatedTo(ChronoUnit.MINUTES));
    Map<String, Long> reached = new HashMap<>();
    accounts.forEach(each -> reached.merge(each.source().name(), each.to(), Math::max));
    for (Map.Entry<String, Long> each : reached.entrySet()) {
      long[] inHour = new long[1];
      long hour = minute - minute % HOUR;
      SqlDatabase.query(
          c, row -> inHour[0] = row.getLong(1), IS_NEW, pipeline, each.getKey(), hour);
      SqlDatabase.update(c, MARK, pipeline, each.getKey(), minute, each.getValue());
      if (inHour[0] == 0) {
        long fine = Instants.micros(now.minus(DAYS_OF_MINUTES, ChronoUnit.DAYS));
        SqlDatabase.update(c, THIN, pipeline, each.getKey(), fine);
        long oldest = Instants.micros(TimeTally.Unit.HOUR.oldest(now));
        SqlDatabase.update(c, FORGET, pipeline, each.getKey(), oldest);
      }
    }
  }

  /** By when a position was accounted for. */
  static Optional<Instant> by(Connection c, String pipeline, SourcePartition source, long position)
      throws SQLException {
    long[] time = new long[2];
    SqlDatabase.query(c, row -> time[0] = row.getLong(1), BY, pipeline, source.name(), position);
    if (time[0] == 0) {
      return Optional.empty();
    }
    SqlDatabase.query(
        c, row -> time[1] = row.getLong(1), IN_HOUR, pipeline, source.name(), time[0] / HOUR);
    boolean fine =
        time[1] > 1
            || Instants.instant(time[0])
                .isAfter(Instant.now().minus(DAYS_OF_MINUTES, ChronoUnit.DAYS));
    long end = fine ? time[0] + MINUTE : time[0] - time[0] % HOUR + HOUR;
    return Optional.of(Instants.instant(end));
  }
}
