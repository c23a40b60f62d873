package io.wexrun.state;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;

/** The texts of pipelines in a database. A version is the beginning of the text's SHA-256. */
final class SqlTexts implements PipelineTexts {
  static final String TABLE =
      """
      create table if not exists pipeline_text (
        pipeline text not null,
        version text not null,
        text text not null,
        turn bigint not null,
        primary key (pipeline, version))\
      """;

  private static final int VERSION_BYTES = 8;
  private static final String SELECT = "select version, text from pipeline_text where pipeline = ?";
  private static final String NAMES =
      "select distinct pipeline from pipeline_text order by pipeline";
  private static final String KEEP =
      "insert into pipeline_text (pipeline, version, text, turn) values (?, ?, ?,"
          + " (select coalesce(max(turn), 0) + 1 from pipeline_text where pipeline = ?))"
          + " on conflict (pipeline, version) do update set turn = excluded.turn";

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
          SqlDatabase.update(c, KEEP, pipeline, kept.version(), text, pipeline);
          return kept;
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
