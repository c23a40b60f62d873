package io.wexrun.state;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.schema.Instants;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Replays in a database. */
final class SqlReplays implements Replays {
  static final List<String> TABLES =
      List.of(
          """
          create table if not exists replay (
            number bigint not null primary key,
            pipeline text not null,
            kind text not null,
            chosen text not null,
            letters bigint not null,
            queue text not null,
            who text not null,
            begun bigint not null,
            version text,
            ended bigint)\
          """,
          """
          create table if not exists replay_part (
            number bigint not null,
            part bigint not null,
            first bigint not null,
            behind bigint not null,
            primary key (number, part))\
          """,
          """
          create table if not exists known_replay (
            name text not null primary key)\
          """,
          """
          create table if not exists replay_mended (
            number bigint not null,
            part bigint not null,
            position bigint not null,
            raw blob not null,
            primary key (number, part, position))\
          """);

  private static final String NEXT = "select coalesce(max(number), 0) + 1 from replay";
  private static final String BEGIN =
      "insert into replay (number, pipeline, kind, chosen, letters, queue, who, begun)"
          + " values (?, ?, ?, ?, ?, ?, ?, ?)";
  private static final String PART =
      "insert into replay_part (number, part, first, behind) values (?, ?, ?, ?)";
  private static final String MEND =
      "insert into replay_mended (number, part, position, raw) values (?, ?, ?, ?)";
  private static final String ALL =
      "select number, pipeline, kind, chosen, letters, queue, who, begun, version, ended from"
          + " replay where pipeline = ? order by number";
  private static final String PARTS =
      "select p.number, p.part, p.first, p.behind from replay_part p join replay r"
          + " on r.number = p.number where r.pipeline = ? order by p.number, p.part";
  private static final String MENDED =
      "select part, position, raw from replay_mended where number = ?";
  private static final String END = "update replay set ended = ? where number = ?";

  private final SqlDatabase database;

  SqlReplays(SqlDatabase database) {
    this.database = database;
  }

  @Override
  public Replay begin(Replay plan, Map<At, byte[]> mended) {
    return database.transaction(
        "note what is replayed",
        c -> {
          long[] next = new long[1];
          SqlDatabase.query(c, row -> next[0] = row.getLong(1), NEXT);
          long number = next[0];
          SqlDatabase.update(
              c,
              BEGIN,
              number,
              plan.pipeline(),
              plan.kind().name(),
              plan.chosen(),
              plan.letters(),
              plan.queue().text(),
              plan.by(),
              Instants.micros(plan.begun()));
          for (Part part : plan.parts()) {
            SqlDatabase.update(c, PART, number, part.partition(), part.from(), part.until());
          }
          for (Map.Entry<At, byte[]> each : mended.entrySet()) {
            At at = each.getKey();
            SqlDatabase.update(c, MEND, number, at.partition(), at.position(), each.getValue());
          }
          return new Replay(
              number,
              plan.pipeline(),
              plan.kind(),
              plan.chosen(),
              plan.letters(),
              plan.queue(),
              List.copyOf(plan.parts()),
              plan.by(),
              plan.begun(),
              Optional.empty(),
              Optional.empty());
        });
  }

  @Override
  public List<Replay> all(String pipeline) {
    return database.transaction(
        "read what was replayed",
        c -> {
          Map<Long, List<Part>> parts = parts(c, pipeline);
          List<Replay> all = new ArrayList<>();
          SqlDatabase.query(
              c,
              row -> {
                long ended = row.getLong(10);
                all.add(
                    new Replay(
                        row.getLong(1),
                        row.getString(2),
                        Kind.valueOf(row.getString(3)),
                        row.getString(4),
                        row.getLong(5),
                        new Identity(row.getString(6)),
                        parts.getOrDefault(row.getLong(1), List.of()),
                        row.getString(7),
                        Instants.instant(row.getLong(8)),
                        Optional.ofNullable(row.getString(9)),
                        ended == 0 ? Optional.empty() : Optional.of(Instants.instant(ended))));
              },
              ALL,
              pipeline);
          return all;
        });
  }

  private static Map<Long, List<Part>> parts(Connection c, String pipeline) throws SQLException {
    Map<Long, List<Part>> parts = new HashMap<>();
    SqlDatabase.query(
        c,
        row ->
            parts
                .computeIfAbsent(row.getLong(1), number -> new ArrayList<>())
                .add(new Part(row.getInt(2), row.getLong(3), row.getLong(4))),
        PARTS,
        pipeline);
    return parts;
  }

  @Override
  public Map<At, byte[]> mended(long number) {
    return database.transaction(
        "read what was mended",
        c -> {
          Map<At, byte[]> mended = new HashMap<>();
          SqlDatabase.query(
              c,
              row -> mended.put(new At(row.getInt(1), row.getLong(2)), row.getBytes(3)),
              MENDED,
              number);
          return mended;
        });
  }

  @Override
  public void goesOn(long number, String version) {
    database.transaction(
        "note what is replayed",
        c ->
            SqlDatabase.update(
                c, "update replay set version = ? where number = ?", version, number));
  }

  @Override
  public void ended(long number, Instant at) {
    database.transaction(
        "note that a replay has ended",
        c -> SqlDatabase.update(c, END, Instants.micros(at), number));
  }
}
