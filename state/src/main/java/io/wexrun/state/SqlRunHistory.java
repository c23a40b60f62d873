package io.wexrun.state;

import io.wexrun.core.schema.Instants;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Optional;

/** The history of runs in a database. */
final class SqlRunHistory implements RunHistory {
  static final String TABLE =
      """
      create table if not exists run (
        number integer primary key autoincrement,
        pipeline text not null,
        why text not null,
        started bigint not null,
        ended bigint,
        how text not null default '',
        taken bigint not null default 0,
        loaded bigint not null default 0,
        dead bigint not null default 0,
        detail text not null default '')\
      """;

  private static final String BEGIN = "insert into run (pipeline, why, started) values (?, ?, ?)";
  private static final String NUMBER = "select last_insert_rowid()";
  private static final String FORGET =
      "delete from run where number <= (select max(number) from run) - " + MOST;
  private static final String END =
      "update run set ended = ?, how = ?, taken = ?, loaded = ?, dead = ?, detail = ?"
          + " where number = ?";
  private static final String LAST = "select max(started) from run where pipeline = ?";
  private static final String LATEST =
      "select number, pipeline, why, started, ended, how, taken, loaded, dead, detail from run"
          + " order by number desc";

  private final SqlDatabase database;

  SqlRunHistory(SqlDatabase database) {
    this.database = database;
  }

  @Override
  public long begun(String pipeline, String why, Instant started) {
    return database.transaction(
        "write the history of runs",
        c -> {
          SqlDatabase.update(c, BEGIN, pipeline, why, Instants.micros(started));
          long[] number = new long[1];
          SqlDatabase.query(c, row -> number[0] = row.getLong(1), NUMBER);
          SqlDatabase.update(c, FORGET);
          return number[0];
        });
  }

  @Override
  public void ended(Ran run) {
    database.transaction(
        "write the history of runs",
        c ->
            SqlDatabase.update(
                c,
                END,
                Instants.micros(run.ended().orElseThrow()),
                run.how(),
                run.taken(),
                run.loaded(),
                run.dead(),
                run.detail(),
                run.number()));
  }

  @Override
  public Optional<Instant> lastStart(String pipeline) {
    return database.transaction(
        "read the history of runs",
        c -> {
          long[] started = new long[1];
          SqlDatabase.query(c, row -> started[0] = row.getLong(1), LAST, pipeline);
          return started[0] == 0 ? Optional.empty() : Optional.of(Instants.instant(started[0]));
        });
  }

  @Override
  public List<Ran> latest(List<String> pipelines, int most) {
    return database.transaction(
        "read the history of runs",
        c -> {
          List<Ran> runs = new ArrayList<>();
          SqlDatabase.query(
              c,
              row -> {
                String pipeline = row.getString(2);
                if (runs.size() < most && (pipelines.isEmpty() || pipelines.contains(pipeline))) {
                  long ended = row.getLong(5);
                  runs.add(
                      new Ran(
                          row.getLong(1),
                          pipeline,
                          row.getString(3),
                          Instants.instant(row.getLong(4)),
                          ended == 0 ? Optional.empty() : Optional.of(Instants.instant(ended)),
                          row.getString(6),
                          row.getLong(7),
                          row.getLong(8),
                          row.getLong(9),
                          row.getString(10)));
                }
              },
              LATEST);
          Collections.reverse(runs);
          return runs;
        });
  }
}
