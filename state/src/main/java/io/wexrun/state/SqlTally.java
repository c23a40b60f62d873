package io.wexrun.state;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.Revival;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.tally.TimeTally;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;

/** The tally in a database, by statements that SQLite and PostgreSQL both take. */
final class SqlTally implements TallyStore {
  static final List<String> TABLES =
      List.of(
          """
          create table if not exists source_tally (
            pipeline text not null,
            source text not null,
            position bigint not null,
            taken bigint not null,
            unfolded bigint not null,
            copied bigint not null,
            dropped bigint not null,
            revived bigint not null default 0,
            began bigint,
            newest bigint,
            primary key (pipeline, source))\
          """,
          """
          create table if not exists loaded_tally (
            pipeline text not null,
            source text not null,
            target text not null,
            loaded bigint not null,
            primary key (pipeline, source, target))\
          """,
          """
          create table if not exists dead_tally (
            pipeline text not null,
            source text not null,
            reason text not null,
            dead bigint not null,
            primary key (pipeline, source, reason))\
          """,
          """
          create table if not exists ignored_tally (
            pipeline text not null,
            source text not null,
            field text not null,
            ignored bigint not null,
            primary key (pipeline, source, field))\
          """,
          """
          create table if not exists source_identity (
            pipeline text not null,
            source text not null,
            identity text not null,
            primary key (pipeline, source))\
          """,
          """
          create table if not exists known_target (
            pipeline text not null,
            target text not null,
            identity text,
            primary key (pipeline, target))\
          """,
          """
          create table if not exists reached_target (
            pipeline text not null,
            target text not null,
            source text not null,
            position bigint not null,
            primary key (pipeline, target, source))\
          """,
          """
          create table if not exists lost_tally (
            pipeline text not null,
            source text not null,
            target text not null,
            lost bigint not null,
            primary key (pipeline, source, target))\
          """);

  private static final String MOVE =
      "update source_tally set position = ?, taken = taken + ?, unfolded = unfolded + ?,"
          + " copied = copied + ?, dropped = dropped + ?"
          + " where pipeline = ? and source = ? and position = ?";
  private static final String BEGIN =
      "insert into source_tally (position, taken, unfolded, copied, dropped, pipeline, source,"
          + " began) values (?, ?, ?, ?, ?, ?, ?, ?) on conflict (pipeline, source) do nothing";
  private static final String NEWEST =
      "update source_tally set newest = ? where pipeline = ? and source = ?"
          + " and (newest is null or newest < ?)";
  private static final String REVIVED =
      "update source_tally set revived = revived + ? where pipeline = ? and source = ?";
  private static final String LOADED =
      "insert into loaded_tally (pipeline, source, target, loaded) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, target)"
          + " do update set loaded = loaded_tally.loaded + excluded.loaded";
  private static final String DEAD =
      "insert into dead_tally (pipeline, source, reason, dead) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, reason)"
          + " do update set dead = dead_tally.dead + excluded.dead";
  private static final String IGNORED =
      "insert into ignored_tally (pipeline, source, field, ignored) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, field)"
          + " do update set ignored = ignored_tally.ignored + excluded.ignored";
  private static final String IDENTIFY =
      "insert into source_identity (pipeline, source, identity) values (?, ?, ?)"
          + " on conflict (pipeline, source) do update set identity = excluded.identity";

  private static final String KNOW =
      "insert into known_target (pipeline, target, identity) values (?, ?, ?)"
          + " on conflict (pipeline, target) do update set identity = excluded.identity";
  static final String REACH =
      "insert into reached_target (pipeline, target, source, position) values (?, ?, ?, ?)"
          + " on conflict (pipeline, target, source) do update set position = excluded.position";

  private final SqlDatabase database;

  SqlTally(SqlDatabase database) {
    this.database = database;
  }

  @Override
  public List<KnownSource> sources(String pipeline) {
    return sources(
        "select t.source, t.position, i.identity from source_tally as t left join"
            + " source_identity as i on i.pipeline = t.pipeline and i.source = t.source"
            + " where t.pipeline = ? order by t.source",
        pipeline);
  }

  @Override
  public List<KnownSource> begun(String pipeline) {
    return sources(
        "select i.source, 0, i.identity from source_identity as i where i.pipeline = ? and not"
            + " exists (select 1 from source_tally as t where t.pipeline = i.pipeline and"
            + " t.source = i.source) order by i.source",
        pipeline);
  }

  @Override
  public Optional<Set<String>> replays() {
    return database.transaction(
        "read what was replayed",
        c -> {
          Set<String> replays = new HashSet<>();
          SqlDatabase.query(
              c,
              row ->
                  replays.add(
                      ReplaySource.replay(
                          ReplaySource.of(row.getLong(1), Instants.instant(row.getLong(2)), 0))),
              "select number, begun from replay");
          SqlDatabase.query(
              c, row -> replays.add(row.getString(1)), "select name from known_replay");
          return Optional.of(replays);
        });
  }

  private List<KnownSource> sources(String sql, String pipeline) {
    return database.transaction(
        "read positions",
        c -> {
          List<KnownSource> sources = new ArrayList<>();
          SqlDatabase.query(
              c,
              row ->
                  sources.add(
                      new KnownSource(
                          new SourcePartition(row.getString(1)),
                          Optional.ofNullable(row.getString(3)).map(Identity::new),
                          row.getLong(2))),
              sql,
              pipeline);
          return sources;
        });
  }

  @Override
  public void identify(String pipeline, Map<SourcePartition, Identity> identities) {
    database.transaction(
        "note who sources are",
        c -> {
          for (Map.Entry<SourcePartition, Identity> each : identities.entrySet()) {
            String source = each.getKey().name();
            SqlDatabase.update(c, IDENTIFY, pipeline, source, each.getValue().text());
          }
          return null;
        });
  }

  @Override
  public List<KnownTarget> targets(String pipeline) {
    return database.transaction(
        "read targets",
        c -> {
          Map<String, Map<SourcePartition, Long>> reached = new TreeMap<>();
          SqlDatabase.query(
              c,
              row ->
                  reached
                      .computeIfAbsent(row.getString(1), t -> new TreeMap<>())
                      .put(new SourcePartition(row.getString(2)), row.getLong(3)),
              "select target, source, position from reached_target where pipeline = ?",
              pipeline);
          List<KnownTarget> targets = new ArrayList<>();
          SqlDatabase.query(
              c,
              row -> {
                String name = row.getString(1);
                Optional<Identity> identity =
                    Optional.ofNullable(row.getString(2)).map(Identity::new);
                targets.add(new KnownTarget(name, identity, reached.getOrDefault(name, Map.of())));
              },
              "select target, identity from known_target where pipeline = ? order by target",
              pipeline);
          return targets;
        });
  }

  @Override
  public void identifyTargets(String pipeline, Map<String, Optional<Identity>> identities) {
    database.transaction(
        "note who targets are",
        c -> {
          for (Map.Entry<String, Optional<Identity>> each : identities.entrySet()) {
            String identity = each.getValue().map(Identity::text).orElse(null);
            SqlDatabase.update(c, KNOW, pipeline, each.getKey(), identity);
          }
          return null;
        });
  }

  @Override
  public void account(String pipeline, List<Account> accounts) {
    database.transaction(
        "write the tally",
        c -> {
          for (Account account : accounts) {
            move(c, pipeline, account);
          }
          SqlTimeTally.note(c, pipeline, accounts);
          SqlMarks.note(c, pipeline, accounts);
          return null;
        });
  }

  private static void move(Connection c, String pipeline, Account account) throws SQLException {
    Counts counts = account.counts();
    String source = account.source().name();
    boolean replay = ReplaySource.is(account.source());
    Object[] begins = {
      account.to(),
      // Who dies again is dead where it was, and was not taken from there.
      replay ? counts.taken() - counts.allDead() : counts.taken(),
      counts.unfolded(),
      counts.copied(),
      counts.dropped(),
      pipeline,
      source,
      account.from()
    };
    int moved = SqlDatabase.update(c, MOVE, begins);
    if (moved == 0) {
      moved = SqlDatabase.update(c, BEGIN, begins);
    }
    if (moved == 0) {
      throw OutsideException.lasting(
          "the tally of pipeline "
              + pipeline
              + " does not stand at position "
              + account.from()
              + " of "
              + source
              + " any more: another run has gone on with it. Stop one of them");
    }
    if (account.newest().isPresent()) {
      long newest = account.newest().getAsLong();
      SqlDatabase.update(c, NEWEST, newest, pipeline, source, newest);
    }
    detail(c, pipeline, account.source(), counts);
    for (Map.Entry<String, Long> reached : account.reached().entrySet()) {
      SqlDatabase.update(c, REACH, pipeline, reached.getKey(), source, reached.getValue());
    }
    if (!replay) {
      die(c, pipeline, account.source(), counts.dead());
    }
    for (Revival revival : account.revivals()) {
      die(c, pipeline, revival.source(), revival.dead());
      SqlDatabase.update(c, REVIVED, revival.revived(), pipeline, revival.source().name());
    }
  }

  @Override
  public Optional<Instant> accountedBy(String pipeline, SourcePartition source, long position) {
    return database.transaction("read the tally", c -> SqlMarks.by(c, pipeline, source, position));
  }

  @Override
  public List<TimeTally> over(String pipeline, TimeTally.Unit unit) {
    return database.transaction("read the tally", c -> SqlTimeTally.read(c, pipeline, unit));
  }

  private static void die(
      Connection c, String pipeline, SourcePartition source, Map<Reason, Long> more)
      throws SQLException {
    for (Map.Entry<Reason, Long> dead : more.entrySet()) {
      String reason = dead.getKey().code();
      SqlDatabase.update(c, DEAD, pipeline, source.name(), reason, dead.getValue());
    }
  }

  @Override
  public Map<SourcePartition, SourceTally> bySource(String pipeline) {
    return database.transaction("read the tally", c -> bySource(c, pipeline));
  }

  Map<SourcePartition, SourceTally> bySource(Connection c, String pipeline) throws SQLException {
    Map<String, Map<String, Long>> loaded = new HashMap<>();
    SqlDatabase.query(c, row -> put(row, loaded), bySource("loaded", "target"), pipeline);
    Map<String, Map<String, Long>> dead = new HashMap<>();
    SqlDatabase.query(c, row -> put(row, dead), bySource("dead", "reason"), pipeline);
    Map<String, Map<String, Long>> ignored = new HashMap<>();
    SqlDatabase.query(c, row -> put(row, ignored), bySource("ignored", "field"), pipeline);
    Map<String, Map<String, Long>> lost = new HashMap<>();
    SqlDatabase.query(c, row -> put(row, lost), bySource("lost", "target"), pipeline);
    Map<SourcePartition, SourceTally> all = new TreeMap<>();
    SqlDatabase.query(
        c,
        row -> {
          String source = row.getString(1);
          Map<Reason, Long> reasons = new EnumMap<>(Reason.class);
          dead.getOrDefault(source, Map.of())
              .forEach((code, n) -> reasons.put(Reason.of(code).orElseThrow(), n));
          Counts counts =
              new Counts(
                  row.getLong(3),
                  row.getLong(4),
                  row.getLong(5),
                  loaded.getOrDefault(source, Map.of()),
                  reasons,
                  row.getLong(6),
                  ignored.getOrDefault(source, Map.of()));
          long gone =
              lost.getOrDefault(source, Map.of()).values().stream()
                  .mapToLong(Long::longValue)
                  .sum();
          all.put(
              new SourcePartition(source),
              new SourceTally(
                  number(row, 8),
                  row.getLong(2),
                  counts,
                  row.getLong(7),
                  gone,
                  number(row, 9).stream().mapToObj(Instants::instant).findFirst()));
        },
        "select source, position, taken, unfolded, copied, dropped, revived, began, newest"
            + " from source_tally where pipeline = ?",
        pipeline);
    return all;
  }

  /** Writes other counts of a source partition, of which none are there but the sums. */
  void put(Connection c, String pipeline, SourcePartition source, Counts counts)
      throws SQLException {
    SqlDatabase.update(
        c,
        "update source_tally set taken = ?, unfolded = ?, copied = ?, dropped = ?, revived = 0"
            + " where pipeline = ? and source = ?",
        counts.taken(),
        counts.unfolded(),
        counts.copied(),
        counts.dropped(),
        pipeline,
        source.name());
    detail(c, pipeline, source, counts);
    die(c, pipeline, source, counts.dead());
  }

  private static void detail(Connection c, String pipeline, SourcePartition source, Counts counts)
      throws SQLException {
    for (Map.Entry<String, Long> loaded : counts.loaded().entrySet()) {
      SqlDatabase.update(c, LOADED, pipeline, source.name(), loaded.getKey(), loaded.getValue());
    }
    for (Map.Entry<String, Long> ignored : counts.ignored().entrySet()) {
      SqlDatabase.update(c, IGNORED, pipeline, source.name(), ignored.getKey(), ignored.getValue());
    }
  }

  private static OptionalLong number(ResultSet row, int column) throws SQLException {
    long value = row.getLong(column);
    return row.wasNull() ? OptionalLong.empty() : OptionalLong.of(value);
  }

  private static String bySource(String what, String by) {
    return "select source, "
        + by
        + ", "
        + what
        + " from "
        + what
        + "_tally where pipeline = ? and "
        + what
        + " <> 0";
  }

  private static void put(ResultSet row, Map<String, Map<String, Long>> into) throws SQLException {
    into.computeIfAbsent(row.getString(1), source -> new TreeMap<>())
        .put(row.getString(2), row.getLong(3));
  }

  @Override
  public Tally tally(String pipeline) {
    return database.transaction(
        "read the tally",
        c -> {
          long[] sums = new long[6];
          Map<String, Long> loaded = new TreeMap<>();
          Map<Reason, Long> dead = new EnumMap<>(Reason.class);
          SqlDatabase.query(
              c,
              row -> {
                for (int i = 0; i < sums.length; i++) {
                  sums[i] = row.getLong(i + 1);
                }
              },
              "select coalesce(sum(1 - r), 0), coalesce(sum(taken * (1 - r)), 0),"
                  + " coalesce(sum(unfolded), 0), coalesce(sum(copied), 0),"
                  + " coalesce(sum(dropped), 0), coalesce(sum((taken - dropped) * r), 0)"
                  + " from (select *, case when source like ? then 1 else 0 end as r"
                  + " from source_tally where pipeline = ?) as t",
              ReplaySource.PREFIX + "%",
              pipeline);
          SqlDatabase.query(
              c,
              row -> loaded.put(row.getString(1), row.getLong(2)),
              "select target, sum(loaded) from loaded_tally where pipeline = ? group by target",
              pipeline);
          SqlDatabase.query(
              c,
              row -> dead.put(Reason.of(row.getString(1)).orElseThrow(), row.getLong(2)),
              "select reason, sum(dead) from dead_tally where pipeline = ? group by reason",
              pipeline);
          List<Instant> events = new ArrayList<>();
          SqlDatabase.query(
              c,
              row -> number(row, 1).stream().mapToObj(Instants::instant).forEach(events::add),
              "select max(newest) from source_tally where pipeline = ?",
              pipeline);
          long[] lost = new long[1];
          SqlDatabase.query(
              c,
              row -> lost[0] = row.getLong(1),
              "select coalesce(sum(lost), 0) from lost_tally where pipeline = ?",
              pipeline);
          loaded.values().removeIf(rows -> rows == 0);
          dead.values().removeIf(letters -> letters == 0);
          Map<String, Long> ignored = new TreeMap<>();
          SqlDatabase.query(
              c,
              row -> ignored.put(row.getString(1), row.getLong(2)),
              "select field, sum(ignored) from ignored_tally where pipeline = ? group by field"
                  + " order by 2 desc limit 200",
              pipeline);
          Counts counts = new Counts(sums[1], sums[2], sums[3], loaded, dead, sums[4], ignored);
          return new Tally(
              pipeline, counts, 0, lost[0], sums[5], (int) sums[0], events.stream().findFirst());
        });
  }
}
