package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Corrections;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;

/** Corrections of the books in a database. */
final class SqlCorrections implements Corrections {
  static final List<String> TABLES =
      List.of(
          """
          create table if not exists retake (
            pipeline text not null,
            source text not null,
            position bigint not null,
            until bigint not null,
            primary key (pipeline, source))\
          """,
          """
          create table if not exists retake_target (
            pipeline text not null,
            target text not null,
            primary key (pipeline, target))\
          """,
          """
          create table if not exists removed_tally (
            pipeline text not null,
            source text not null,
            target text not null,
            reason text not null,
            removed bigint not null,
            primary key (pipeline, source, target, reason))\
          """);

  /** All tables whose rows belong to a pipeline. */
  private static final List<String> OF_PIPELINES =
      List.of(
          "source_tally",
          "loaded_tally",
          "dead_tally",
          "lost_tally",
          "source_identity",
          "known_target",
          "reached_target",
          "retake",
          "retake_target",
          "removed_tally",
          "ignored_tally",
          "time_tally",
          "source_mark",
          "rebuild",
          "handled_record",
          "pipeline_text");

  private static final String REPLAYS = "update replay set pipeline = ? where pipeline = ?";
  private static final String LOSE =
      "insert into lost_tally (pipeline, source, target, lost) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, target)"
          + " do update set lost = lost_tally.lost + excluded.lost";

  private static final String NO_RETAKE_TARGETS = "delete from retake_target where pipeline = ?";

  private static final String FORGET_REMOVED =
      "delete from removed_tally where pipeline = ? and target = ?";

  private final SqlDatabase database;

  SqlCorrections(SqlDatabase database) {
    this.database = database;
  }

  @Override
  public List<String> pipelines() {
    return database.transaction(
        "read pipelines",
        c -> {
          List<String> names = new ArrayList<>();
          SqlDatabase.query(
              c,
              row -> names.add(row.getString(1)),
              "select distinct pipeline from source_tally where pipeline not like ? order by"
                  + " pipeline",
              "%" + Rebuilds.Rebuild.books("")); // What is built again is told by name only.
          return names;
        });
  }

  @Override
  public Map<SourcePartition, Long> loaded(String pipeline, String target) {
    boolean dead = target.equals(Route.DEAD);
    return database.transaction(
        "read the tally",
        c -> {
          Map<SourcePartition, Long> loaded = new TreeMap<>();
          SqlDatabase.RowTaker taker =
              row -> loaded.put(new SourcePartition(row.getString(1)), row.getLong(2));
          if (dead) {
            SqlDatabase.query(
                c,
                taker,
                "select source, sum(dead) from dead_tally where pipeline = ? group by source",
                pipeline);
          } else {
            SqlDatabase.query(
                c,
                taker,
                "select source, loaded from loaded_tally where pipeline = ? and target = ?",
                pipeline,
                target);
          }
          return loaded;
        });
  }

  @Override
  public void removeTarget(String pipeline, String target) {
    database.transaction(
        "note that a target was removed",
        c -> {
          forgetTarget(c, pipeline, target);
          SqlDatabase.update(c, FORGET_REMOVED, pipeline, target);
          if (target.equals(Route.DEAD)) {
            SqlDatabase.update(
                c,
                "insert into removed_tally (pipeline, source, target, reason, removed)"
                    + " select pipeline, source, ?, reason, dead from dead_tally"
                    + " where pipeline = ? and dead > 0",
                target,
                pipeline);
          } else {
            SqlDatabase.update(
                c,
                "insert into removed_tally (pipeline, source, target, reason, removed)"
                    + " select pipeline, source, target, '', loaded from loaded_tally"
                    + " where pipeline = ? and target = ? and loaded > 0",
                pipeline,
                target);
          }
          return null;
        });
  }

  @Override
  public Map<SourcePartition, Long> removed(String pipeline, String target) {
    return database.transaction("read what was removed", c -> removed(c, pipeline, target));
  }

  private static Map<SourcePartition, Long> removed(Connection c, String pipeline, String target)
      throws SQLException {
    Map<SourcePartition, Long> removed = new TreeMap<>();
    SqlDatabase.query(
        c,
        row -> removed.put(new SourcePartition(row.getString(1)), row.getLong(2)),
        "select source, sum(removed) from removed_tally where pipeline = ? and target = ?"
            + " group by source",
        pipeline,
        target);
    return removed;
  }

  @Override
  public Map<String, Long> removedLetters(String pipeline) {
    return database.transaction(
        "read what was removed",
        c -> {
          Map<String, Long> removed = new TreeMap<>();
          SqlDatabase.query(
              c,
              row -> removed.put(row.getString(1), row.getLong(2)),
              "select reason, sum(removed) from removed_tally where pipeline = ? and target = ?"
                  + " group by reason",
              pipeline,
              Route.DEAD);
          return removed;
        });
  }

  private static void forgetTarget(Connection c, String pipeline, String target)
      throws SQLException {
    SqlDatabase.update(
        c, "delete from reached_target where pipeline = ? and target = ?", pipeline, target);
    // The target stays known, as one of which nothing is known.
    SqlDatabase.update(
        c,
        "update known_target set identity = null where pipeline = ? and target = ?",
        pipeline,
        target);
  }

  /** How far a target that somebody touched has come by now. */
  private static void setBack(
      Connection c, String pipeline, String target, Map<SourcePartition, Long> has)
      throws SQLException {
    for (Map.Entry<SourcePartition, Long> each : has.entrySet()) {
      String source = each.getKey().name();
      SqlDatabase.update(
          c,
          "delete from reached_target where pipeline = ? and target = ? and source = ?",
          pipeline,
          target,
          source);
      if (each.getValue() >= 0) {
        SqlDatabase.update(c, SqlTally.REACH, pipeline, target, source, each.getValue());
      }
    }
    SqlDatabase.update(
        c,
        "update known_target set identity = null where pipeline = ? and target = ?",
        pipeline,
        target);
  }

  @Override
  public void lose(
      String pipeline,
      String target,
      Map<SourcePartition, Long> rows,
      Map<SourcePartition, Long> has) {
    database.transaction(
        "count rows as lost",
        c -> {
          for (Map.Entry<SourcePartition, Long> each : rows.entrySet()) {
            String source = each.getKey().name();
            SqlDatabase.update(c, LOSE, pipeline, source, target, each.getValue());
            if (target.equals(Route.DEAD)) {
              loseDead(c, pipeline, source, each.getValue());
            } else {
              SqlDatabase.update(
                  c,
                  "update loaded_tally set loaded = loaded - ?"
                      + " where pipeline = ? and source = ? and target = ?",
                  each.getValue(),
                  pipeline,
                  source,
                  target);
            }
          }
          setBack(c, pipeline, target, has);
          return null;
        });
  }

  private static void loseDead(Connection c, String pipeline, String source, long letters)
      throws SQLException {
    Map<String, Long> dead = new TreeMap<>();
    SqlDatabase.query(
        c,
        row -> dead.put(row.getString(1), row.getLong(2)),
        "select reason, dead from dead_tally where pipeline = ? and source = ?",
        pipeline,
        source);
    long left = letters;
    for (Map.Entry<String, Long> reason : dead.entrySet()) {
      long some = Math.min(left, reason.getValue());
      SqlDatabase.update(
          c,
          "update dead_tally set dead = dead - ? where pipeline = ? and source = ? and reason = ?",
          some,
          pipeline,
          source,
          reason.getKey());
      left -= some;
    }
  }

  @Override
  public void knowReplays(Set<String> replays) {
    database.transaction(
        "note replays",
        c -> {
          for (String replay : replays) {
            SqlDatabase.update(
                c, "insert into known_replay (name) values (?) on conflict do nothing", replay);
          }
          return null;
        });
  }

  @Override
  public Map<SourcePartition, Retake> retakes(String pipeline) {
    return database.transaction(
        "read what is taken again",
        c -> {
          Map<SourcePartition, Retake> retakes = new TreeMap<>();
          SqlDatabase.query(
              c,
              row ->
                  retakes.put(
                      new SourcePartition(row.getString(1)),
                      new Retake(row.getLong(2), row.getLong(3))),
              "select source, position, until from retake where pipeline = ?",
              pipeline);
          return retakes;
        });
  }

  @Override
  public Set<String> retakeTargets(String pipeline) {
    return database.transaction(
        "read what is taken again",
        c -> {
          Set<String> targets = new TreeSet<>();
          SqlDatabase.query(
              c,
              row -> targets.add(row.getString(1)),
              // A choice that was made before targets were noted is about all of them.
              "select target from retake_target where pipeline = ? union select target from"
                  + " known_target where pipeline = ? and not exists (select 1 from retake_target"
                  + " where pipeline = ?)",
              pipeline,
              pipeline,
              pipeline);
          return targets;
        });
  }

  @Override
  public void retake(
      String pipeline,
      Map<SourcePartition, Retake> parts,
      Map<String, Map<SourcePartition, Long>> targets) {
    database.transaction(
        "note what is taken again",
        c -> {
          for (Map.Entry<SourcePartition, Retake> each : parts.entrySet()) {
            SqlDatabase.update(
                c,
                "insert into retake (pipeline, source, position, until) values (?, ?, ?, ?)"
                    + " on conflict (pipeline, source) do update set position = excluded.position,"
                    + " until = excluded.until",
                pipeline,
                each.getKey().name(),
                each.getValue().position(),
                each.getValue().until());
          }
          SqlDatabase.update(c, NO_RETAKE_TARGETS, pipeline);
          for (Map.Entry<String, Map<SourcePartition, Long>> target : targets.entrySet()) {
            SqlDatabase.update(
                c,
                "insert into retake_target (pipeline, target) values (?, ?)",
                pipeline,
                target.getKey());
            SqlDatabase.update(c, FORGET_REMOVED, pipeline, target.getKey());
            setBack(c, pipeline, target.getKey(), target.getValue());
          }
          return null;
        });
  }

  @Override
  public void retaken(String pipeline, List<Account> accounts) {
    database.transaction(
        "note what was taken again",
        c -> {
          for (Account account : accounts) {
            SqlDatabase.update(
                c,
                "update retake set position = ? where pipeline = ? and source = ?",
                account.to(),
                pipeline,
                account.source().name());
            for (Map.Entry<String, Long> reached : account.reached().entrySet()) {
              SqlDatabase.update(
                  c,
                  SqlTally.REACH,
                  pipeline,
                  reached.getKey(),
                  account.source().name(),
                  reached.getValue());
            }
          }
          SqlDatabase.update(
              c, "delete from retake where pipeline = ? and position >= until", pipeline);
          return null;
        });
  }

  @Override
  public void settle(
      String pipeline,
      String target,
      Map<SourcePartition, Long> progress,
      Map<SourcePartition, Long> rows) {
    database.transaction(
        "settle the tally",
        c -> {
          Map<SourcePartition, Long> loaded = counts(c, "loaded", pipeline, target);
          Map<SourcePartition, Long> lost = counts(c, "lost", pipeline, target);
          Map<SourcePartition, Long> removed = removed(c, pipeline, target);
          Map<SourcePartition, Long> has = new TreeMap<>(progress);
          for (SourcePartition source : loaded.keySet()) {
            if (rows.containsKey(source) || !progress.containsKey(source)) {
              long all = loaded.get(source) + lost.getOrDefault(source, 0L);
              long there =
                  Math.min(all, rows.getOrDefault(source, 0L) + removed.getOrDefault(source, 0L));
              SqlDatabase.update(
                  c,
                  "update loaded_tally set loaded = ?"
                      + " where pipeline = ? and source = ? and target = ?",
                  there,
                  pipeline,
                  source.name(),
                  target);
              long more = all - there - lost.getOrDefault(source, 0L);
              SqlDatabase.update(c, LOSE, pipeline, source.name(), target, more);
            }
            has.putIfAbsent(source, -1L);
          }
          setBack(c, pipeline, target, has);
          return null;
        });
  }

  private static Map<SourcePartition, Long> counts(
      Connection c, String what, String pipeline, String target) throws SQLException {
    Map<SourcePartition, Long> counts = new TreeMap<>();
    SqlDatabase.query(
        c,
        row -> counts.put(new SourcePartition(row.getString(1)), row.getLong(2)),
        "select source, " + what + " from " + what + "_tally where pipeline = ? and target = ?",
        pipeline,
        target);
    return counts;
  }

  @Override
  public void giveUpRetakes(String pipeline) {
    database.transaction(
        "give up what is taken again",
        c -> {
          SqlDatabase.update(c, NO_RETAKE_TARGETS, pipeline);
          return SqlDatabase.update(c, "delete from retake where pipeline = ?", pipeline);
        });
  }

  @Override
  public void rename(String from, String to) {
    database.transaction(
        "rename a pipeline",
        c -> {
          SqlDatabase.query(
              c,
              row -> {
                throw OutsideException.lasting(
                    "the tally knows pipeline " + to + " already: it has positions of its own");
              },
              "select 1 from source_tally where pipeline = ? limit 1",
              to);
          SqlDatabase.update(c, REPLAYS, to, from);
          for (String table : OF_PIPELINES) {
            SqlDatabase.update(c, "delete from " + table + " where pipeline = ?", to);
            SqlDatabase.update(
                c, "update " + table + " set pipeline = ? where pipeline = ?", to, from);
          }
          // Targets keep the progress of the old name, and know nothing of the new one.
          SqlDatabase.update(c, "delete from reached_target where pipeline = ?", to);
          SqlDatabase.update(c, "update known_target set identity = null where pipeline = ?", to);
          return null;
        });
  }

  @Override
  public void forget(String pipeline) {
    database.transaction(
        "forget a pipeline",
        c -> {
          // Their numbers are not given again.
          SqlDatabase.update(c, REPLAYS, "", pipeline);
          for (String table : OF_PIPELINES) {
            for (String name : List.of(pipeline, Rebuilds.Rebuild.books(pipeline))) {
              SqlDatabase.update(c, "delete from " + table + " where pipeline = ?", name);
            }
          }
          return null;
        });
  }
}
