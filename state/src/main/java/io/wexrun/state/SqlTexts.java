package io.wexrun.state;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/** The texts of pipelines in a database. A version is the beginning of the text's SHA-256. */
final class SqlTexts implements PipelineTexts {
  static final List<String> TABLES =
      List.of(
          """
          create table if not exists pipeline_text (
            pipeline text not null,
            version text not null,
            text text not null,
            turn bigint not null,
            primary key (pipeline, version))\
          """,
          """
          create table if not exists text_turn (
            pipeline text not null,
            turn bigint not null,
            version text not null,
            time bigint not null,
            primary key (pipeline, turn))\
          """,
          """
          create table if not exists text_source (
            pipeline text not null,
            turn bigint not null,
            source text not null,
            position bigint not null,
            primary key (pipeline, turn, source))\
          """);

  /** So many turns of a pipeline are kept. */
  private static final int MOST = 100;

  private static final int VERSION_BYTES = 8;
  private static final String SELECT = "select version, text from pipeline_text where pipeline = ?";
  private static final String NAMES =
      "select distinct pipeline from pipeline_text order by pipeline";
  private static final String KEEP =
      "insert into pipeline_text (pipeline, version, text, turn) values (?, ?, ?,"
          + " (select coalesce(max(turn), 0) + 1 from pipeline_text where pipeline = ?))"
          + " on conflict (pipeline, version) do update set turn = excluded.turn";

  private static final String LAST = "select max(turn) from pipeline_text where pipeline = ?";
  private static final String TURN =
      "insert into text_turn (pipeline, turn, version, time) values (?, ?, ?, ?)";
  private static final String SOURCES =
      "insert into text_source (pipeline, turn, source, position)"
          + " select pipeline, ?, source, position from source_tally where pipeline = ?";
  private static final List<String> FORGET =
      List.of(
          "delete from text_turn where pipeline = ? and turn <= ?",
          "delete from text_source where pipeline = ? and turn <= ?");
  private static final String TURNS =
      "select t.turn, t.version, p.text, t.time from text_turn t join pipeline_text p on p.pipeline"
          + " = t.pipeline and p.version = t.version where t.pipeline = ? order by t.turn";
  private static final String FROM =
      "select turn, source, position from text_source where pipeline = ?";

  private final SqlDatabase database;

  SqlTexts(SqlDatabase database) {
    this.database = database;
  }

  @Override
  public List<String> pipelines() {
    return database.transaction(
        "read the pipelines' names",
        c -> {
          List<String> names = new ArrayList<>();
          SqlDatabase.query(c, row -> names.add(row.getString(1)), NAMES);
          return names;
        });
  }

  @Override
  public Optional<Text> current(String pipeline) {
    return one(SELECT + " order by turn desc limit 1", pipeline);
  }

  @Override
  public Optional<Text> find(String pipeline, String version) {
    return one(SELECT + " and version = ?", pipeline, version);
  }

  private Optional<Text> one(String sql, Object... parameters) {
    return database.transaction(
        "read a pipeline's text",
        c -> {
          Text[] found = new Text[1];
          SqlDatabase.query(
              c, row -> found[0] = new Text(row.getString(1), row.getString(2)), sql, parameters);
          return Optional.ofNullable(found[0]);
        });
  }

  @Override
  public Text keep(String pipeline, String text) {
    Text kept = new Text(version(text), text);
    return database.transaction(
        "keep a pipeline's text",
        c -> {
          boolean[] same = new boolean[1];
          SqlDatabase.query(
              c,
              row -> same[0] = row.getString(1).equals(kept.version()),
              SELECT + " order by turn desc limit 1",
              pipeline);
          if (!same[0]) {
            SqlDatabase.update(c, KEEP, pipeline, kept.version(), text, pipeline);
            long[] turn = new long[1];
            SqlDatabase.query(c, row -> turn[0] = row.getLong(1), LAST, pipeline);
            long now = Instants.micros(Instant.now());
            SqlDatabase.update(c, TURN, pipeline, turn[0], kept.version(), now);
            SqlDatabase.update(c, SOURCES, turn[0], pipeline);
            for (String forget : FORGET) {
              SqlDatabase.update(c, forget, pipeline, turn[0] - MOST);
            }
          }
          return kept;
        });
  }

  @Override
  public List<Turn> turns(String pipeline) {
    return database.transaction(
        "read a pipeline's texts",
        c -> {
          Map<Long, Map<SourcePartition, Long>> from = new HashMap<>();
          SqlDatabase.query(
              c,
              row ->
                  from.computeIfAbsent(row.getLong(1), t -> new TreeMap<>())
                      .put(new SourcePartition(row.getString(2)), row.getLong(3)),
              FROM,
              pipeline);
          List<Turn> turns = new ArrayList<>();
          SqlDatabase.query(
              c,
              row ->
                  turns.add(
                      new Turn(
                          new Text(row.getString(2), row.getString(3)),
                          Instants.instant(row.getLong(4)),
                          from.getOrDefault(row.getLong(1), Map.of()))),
              TURNS,
              pipeline);
          return turns;
        });
  }

  private static String version(String text) {
    try {
      byte[] digest =
          MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(digest, 0, VERSION_BYTES);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java has SHA-256", e);
    }
  }
}
