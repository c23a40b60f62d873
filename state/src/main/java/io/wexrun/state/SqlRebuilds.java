package io.wexrun.state;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/** Rebuilds in a database. */
final class SqlRebuilds implements Rebuilds {
  static final List<String> TABLES =
      List.of(
          """
          create table if not exists rebuild (
            number bigint not null primary key,
            pipeline text not null,
            version text not null,
            who text not null,
            begun bigint not null,
            phase text not null,
            swapped bigint,
            left_out bigint not null)\
          """,
          """
          create table if not exists rebuild_table (
            number bigint not null,
            place bigint not null,
            name text not null,
            identity text,
            primary key (number, name))\
          """,
          """
          create table if not exists rebuild_source (
            number bigint not null,
            source text not null,
            position bigint not null,
            primary key (number, source))\
          """,
          """
          create table if not exists rebuild_older (
            number bigint not null,
            source text not null,
            what text not null,
            name text not null,
            amount bigint not null,
            primary key (number, source, what, name))\
          """,
          """
          create table if not exists handled_record (
            pipeline text not null,
            source text not null,
            position bigint not null,
            raw blob,
            primary key (pipeline, source, position))\
          """);

  private static final String NEXT = "select coalesce(max(number), 0) + 1 from rebuild";
  private static final String OPEN =
      "select number from rebuild where pipeline = ? and phase in ('PREPARING', 'RUNNING',"
          + " 'SWAPPING')";
  private static final String BEGIN =
      "insert into rebuild (number, pipeline, version, who, begun, phase, left_out)"
          + " values (?, ?, ?, ?, ?, ?, ?)";
  private static final String TABLE =
      "insert into rebuild_table (number, place, name) values (?, ?, ?)";
  private static final String SOURCE =
      "insert into rebuild_source (number, source, position) values (?, ?, ?)";
  private static final String OLDER =
      "insert into rebuild_older (number, source, what, name, amount) values (?, ?, ?, ?, ?)";
  private static final String SELECT =
      "select number, pipeline, version, who, begun, phase, swapped, left_out from rebuild where ";
  private static final String HANDLED =
      "insert into handled_record (pipeline, source, position, raw) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, position) do update set raw = excluded.raw";
  private static final String PHASE = "update rebuild set phase = ? where number = ?";

  private static final String BEGINS =
      "select r.position from rebuild_source r where r.number = ? and r.source ="
          + " text_source.source";

  private static final List<String> FORGET =
      List.of(
          "delete from source_tally where pipeline = ?",
          "delete from loaded_tally where pipeline = ?",
          "delete from dead_tally where pipeline = ?",
          "delete from ignored_tally where pipeline = ?",
          "delete from lost_tally where pipeline = ?",
          "delete from source_identity where pipeline = ?",
          "delete from known_target where pipeline = ?",
          "delete from reached_target where pipeline = ?",
          "delete from time_tally where pipeline = ?",
          "delete from source_mark where pipeline = ?",
          "delete from text_turn where pipeline = ?",
          "delete from text_source where pipeline = ?",
          "delete from pipeline_text where pipeline = ?");

  private final SqlDatabase database;
  private final SqlTally tally;

  SqlRebuilds(SqlDatabase database, SqlTally tally) {
    this.database = database;
    this.tally = tally;
  }

  @Override
  public Rebuild begin(Rebuild plan) {
    return database.transaction(
        "note a rebuild",
        c -> {
          long[] numbers = new long[2];
          SqlDatabase.query(c, row -> numbers[0] = row.getLong(1), NEXT);
          SqlDatabase.query(c, row -> numbers[1] = row.getLong(1), OPEN, plan.pipeline());
          if (numbers[1] != 0) {
            throw OutsideException.lasting(
                "rebuild " + numbers[1] + " of pipeline " + plan.pipeline() + " is under way");
          }
          long number = numbers[0];
          SqlDatabase.update(
              c,
              BEGIN,
              number,
              plan.pipeline(),
              plan.version(),
              plan.by(),
              Instants.micros(plan.begun()),
              Phase.PREPARING.name(),
              plan.left() ? 1 : 0);
          int place = 0;
          for (String table : plan.tables().keySet()) {
            SqlDatabase.update(c, TABLE, number, place++, table);
          }
          for (Map.Entry<SourcePartition, Long> each : plan.from().entrySet()) {
            SqlDatabase.update(c, SOURCE, number, each.getKey().name(), each.getValue());
          }
          return one(c, number);
        });
  }

  @Override
  public List<Rebuild> all(String pipeline) {
    return database.transaction(
        "read rebuilds", c -> read(c, "pipeline = ? order by number", pipeline));
  }

  private static Rebuild one(Connection c, long number) throws SQLException {
    return read(c, "number = ?", number).get(0);
  }

  private static List<Rebuild> read(Connection c, String which, Object parameter)
      throws SQLException {
    List<Rebuild> found = new ArrayList<>();
    SqlDatabase.query(
        c,
        row -> {
          long number = row.getLong(1);
          long swapped = row.getLong(7);
          Map<String, Optional<Identity>> tables = new LinkedHashMap<>();
          SqlDatabase.query(
              c,
              each ->
                  tables.put(
                      each.getString(1), Optional.ofNullable(each.getString(2)).map(Identity::new)),
              "select name, identity from rebuild_table where number = ? order by place",
              number);
          Map<SourcePartition, Long> from = new TreeMap<>();
          SqlDatabase.query(
              c,
              each -> from.put(new SourcePartition(each.getString(1)), each.getLong(2)),
              "select source, position from rebuild_source where number = ?",
              number);
          found.add(
              new Rebuild(
                  number,
                  row.getString(2),
                  row.getString(3),
                  row.getString(4),
                  Instants.instant(row.getLong(5)),
                  Phase.valueOf(row.getString(6)),
                  swapped == 0 ? Optional.empty() : Optional.of(Instants.instant(swapped)),
                  tables,
                  from,
                  row.getLong(8) != 0));
        },
        SELECT + which,
        parameter);
    return found;
  }

  @Override
  public void prepared(long number, Map<SourcePartition, Older> older) {
    database.transaction(
        "note a rebuild",
        c -> {
          for (Map.Entry<SourcePartition, Older> each : older.entrySet()) {
            String source = each.getKey().name();
            for (Map.Entry<String, Long> rows : each.getValue().loaded().entrySet()) {
              SqlDatabase.update(
                  c, OLDER, number, source, "loaded", rows.getKey(), rows.getValue());
            }
            for (Map.Entry<Reason, Long> letters : each.getValue().dead().entrySet()) {
              SqlDatabase.update(
                  c, OLDER, number, source, "dead", letters.getKey().code(), letters.getValue());
            }
          }
          return SqlDatabase.update(c, PHASE, Phase.RUNNING.name(), number);
        });
  }

  private static Map<SourcePartition, Older> older(Connection c, long number) throws SQLException {
    Map<SourcePartition, Older> all = new TreeMap<>();
    SqlDatabase.query(
        c,
        row -> {
          Older older =
              all.computeIfAbsent(
                  new SourcePartition(row.getString(1)),
                  s -> new Older(new TreeMap<>(), new EnumMap<>(Reason.class)));
          if (row.getString(2).equals("loaded")) {
            older.loaded().put(row.getString(3), row.getLong(4));
          } else {
            older.dead().put(Reason.of(row.getString(3)).orElseThrow(), row.getLong(4));
          }
        },
        "select source, what, name, amount from rebuild_older where number = ?",
        number);
    return all;
  }

  @Override
  public Rebuild swapping(long number, Instant at, Map<String, Optional<Identity>> shadows) {
    return database.transaction(
        "note a rebuild",
        c -> {
          for (Map.Entry<String, Optional<Identity>> each : shadows.entrySet()) {
            SqlDatabase.update(
                c,
                "update rebuild_table set identity = ? where number = ? and name = ?",
                each.getValue().map(Identity::text).orElse(null),
                number,
                each.getKey());
          }
          SqlDatabase.update(
              c,
              "update rebuild set phase = ?, swapped = ? where number = ?",
              Phase.SWAPPING.name(),
              Instants.micros(at),
              number);
          return one(c, number);
        });
  }

  @Override
  public void swapped(long number) {
    database.transaction(
        "put the books of a rebuild in their place",
        c -> {
          Rebuild rebuild = one(c, number);
          if (rebuild.phase() == Phase.SWAPPING) {
            exchange(c, rebuild);
            SqlDatabase.update(c, PHASE, Phase.MENDING.name(), number);
          }
          return null;
        });
  }

  private void exchange(Connection c, Rebuild rebuild) throws SQLException {
    String pipeline = rebuild.pipeline();
    String built = rebuild.books();
    Map<SourcePartition, Counts> books =
        new RebuiltBooks(
                tally.bySource(c, pipeline),
                tally.bySource(c, built),
                older(c, rebuild.number()),
                rebuild.tables().keySet())
            .counts();
    for (String what : List.of("source_tally", "loaded_tally")) {
      SqlDatabase.update(
          c,
          "delete from " + what + " where pipeline = ? and source like ?",
          pipeline,
          ReplaySource.PREFIX + "%");
    }
    SqlDatabase.update(c, "delete from loaded_tally where pipeline = ?", pipeline);
    SqlDatabase.update(c, "delete from dead_tally where pipeline = ?", pipeline);
    SqlDatabase.update(c, "delete from ignored_tally where pipeline = ?", pipeline);
    SqlDatabase.update(c, "delete from lost_tally where pipeline = ?", pipeline);
    for (Map.Entry<SourcePartition, Counts> each : books.entrySet()) {
      tally.put(c, pipeline, each.getKey(), each.getValue());
    }
    for (String table : rebuild.tables().keySet()) {
      reached(c, pipeline, built, table);
    }
    reached(c, pipeline, built, Route.DEAD);
    turn(c, rebuild);
    forget(c, built);
  }

  /** What the tally knows of a target becomes what it knows of its shadow. */
  private static void reached(Connection c, String pipeline, String built, String target)
      throws SQLException {
    for (String what : List.of("known_target", "reached_target")) {
      SqlDatabase.update(
          c, "delete from " + what + " where pipeline = ? and target = ?", pipeline, target);
      SqlDatabase.update(
          c,
          "update " + what + " set pipeline = ? where pipeline = ? and target = ?",
          pipeline,
          built,
          target);
    }
  }

  /** From where the rebuild began, its text is the one by which the rows were made. */
  private static void turn(Connection c, Rebuild rebuild) throws SQLException {
    String pipeline = rebuild.pipeline();
    SqlDatabase.update(
        c,
        "delete from text_source where pipeline = ? and source not in"
            + " (select source from rebuild_source where number = ? and position > 0)",
        pipeline,
        rebuild.number());
    SqlDatabase.update(
        c,
        "update text_source set position = ("
            + BEGINS
            + ") where pipeline = ? and position > ("
            + BEGINS
            + ")",
        rebuild.number(),
        pipeline,
        rebuild.number());
    long[] next = new long[1];
    SqlDatabase.query(
        c,
        row -> next[0] = row.getLong(1),
        "select coalesce(max(turn), 0) + 1 from pipeline_text where pipeline = ?",
        pipeline);
    SqlDatabase.update(
        c,
        "insert into pipeline_text (pipeline, version, text, turn)"
            + " select ?, version, text, ? from pipeline_text where pipeline = ? and version = ?"
            + " on conflict (pipeline, version) do update set turn = excluded.turn",
        pipeline,
        next[0],
        rebuild.books(),
        rebuild.version());
    SqlDatabase.update(
        c,
        "insert into text_turn (pipeline, turn, version, time) values (?, ?, ?, ?)",
        pipeline,
        next[0],
        rebuild.version(),
        Instants.micros(rebuild.swapped().orElseThrow()));
    SqlDatabase.update(
        c,
        "insert into text_source (pipeline, turn, source, position)"
            + " select ?, ?, source, position from rebuild_source where number = ?"
            + " and position > 0",
        pipeline,
        next[0],
        rebuild.number());
  }

  private static void forget(Connection c, String name) throws SQLException {
    for (String each : FORGET) {
      SqlDatabase.update(c, each, name);
    }
  }

  @Override
  public void mended(long number, Map<Origin, Optional<byte[]>> handled) {
    database.transaction(
        "note a rebuild",
        c -> {
          String pipeline = one(c, number).pipeline();
          for (Map.Entry<Origin, Optional<byte[]>> each : handled.entrySet()) {
            SqlDatabase.update(
                c,
                HANDLED,
                pipeline,
                each.getKey().source().name(),
                each.getKey().position(),
                each.getValue().orElse(null));
          }
          return SqlDatabase.update(c, PHASE, Phase.SWAPPED.name(), number);
        });
  }

  @Override
  public Map<Origin, Optional<byte[]>> handled(String pipeline) {
    return database.transaction(
        "read what was mended",
        c -> {
          Map<Origin, Optional<byte[]>> handled = new HashMap<>();
          SqlDatabase.query(
              c,
              row ->
                  handled.put(
                      new Origin(new SourcePartition(row.getString(1)), row.getLong(2)),
                      Optional.ofNullable(row.getBytes(3))),
              "select source, position, raw from handled_record where pipeline = ?",
              pipeline);
          return handled;
        });
  }

  private void phase(long number, Phase phase) {
    database.transaction("note a rebuild", c -> SqlDatabase.update(c, PHASE, phase.name(), number));
  }

  @Override
  public void discarded(long number) {
    database.transaction(
        "give up a rebuild",
        c -> {
          forget(c, one(c, number).books());
          return SqlDatabase.update(c, PHASE, Phase.DISCARDED.name(), number);
        });
  }

  @Override
  public void cleared(long number) {
    phase(number, Phase.CLEARED);
  }
}
