package io.wexrun.project;

import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.BoundedIntake;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Querying;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.ReplayFacts;
import io.wexrun.project.facts.Traced;
import io.wexrun.project.run.AsItWas;
import io.wexrun.project.run.Compiling;
import io.wexrun.state.PipelineTexts;
import io.wexrun.state.Replays;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * From rows of tables to the records that they were made of, and from records to what has become of
 * them. Changes nothing. For one thread.
 */
public final class WorkspaceTrace {
  private static final Duration PATIENCE = Duration.ofMillis(100);
  private static final int TRIES = 20;

  private final Workspace workspace;
  private final Scene scene;
  private final Optional<WorkspaceState> state;

  WorkspaceTrace(Workspace workspace, Scene scene, Optional<WorkspaceState> state) {
    this.workspace = workspace;
    this.scene = scene;
    this.state = state;
  }

  /**
   * A row of a table, and the record that it was made of.
   *
   * @param values its values by column, as texts; without the columns of its origin
   * @param record the record; empty if no source of that number is known any more
   */
  public record Row(Map<String, String> values, Optional<Traced> record) {}

  /** The tables whose rows tell their origin, and can be asked. */
  public List<String> tables() {
    return scene.definition().tables().values().stream()
        .filter(OriginColumns::in)
        .filter(table -> workspace.answering().contains(table.store()))
        .map(Table::name)
        .toList();
  }

  /** The tables whose rows tell their origin, and that cannot be asked. */
  public List<String> unasked() {
    return scene.definition().tables().values().stream()
        .filter(OriginColumns::in)
        .map(Table::name)
        .filter(name -> !tables().contains(name))
        .toList();
  }

  /**
   * Rows of a table, with their records.
   *
   * @param where a condition in the SQL of its store
   * @param most how many at most
   * @throws OutsideException if the store does not take the condition
   * @throws IllegalArgumentException if there is no such table among {@link #tables}
   */
  public List<Row> rows(String table, String where, int most) {
    if (!tables().contains(table)) {
      throw new IllegalArgumentException(
          "table " + table + " does not tell the origin of its rows");
    }
    String sql = "select * from " + Querying.quoted(table) + " where (" + where + ") limit " + most;
    Answer answer = workspace.query(scene.definition().tables().get(table).store(), sql);
    Map<Long, SourcePartition> sources = sources();
    List<Row> rows = new ArrayList<>();
    for (List<Object> each : answer.rows()) {
      Map<String, String> values = new LinkedHashMap<>();
      for (int i = 0; i < each.size(); i++) {
        if (each.get(i) != null) {
          values.put(answer.columns().get(i), String.valueOf(each.get(i)));
        }
      }
      String source = values.remove(OriginColumns.SOURCE);
      String position = values.remove(OriginColumns.POSITION);
      Optional<Traced> record =
          source == null || position == null
              ? Optional.empty()
              : Optional.ofNullable(sources.get(Long.parseLong(source)))
                  .flatMap(from -> loader(from, Long.parseLong(position), table));
      rows.add(new Row(values, record));
    }
    return rows;
  }

  /** All source partitions that pipelines know, by the numbers that stand for them. */
  private Map<Long, SourcePartition> sources() {
    Map<Long, SourcePartition> sources = new TreeMap<>();
    for (String pipeline : workspace.pipelineNames()) {
      workspace
          .books()
          .bySource(pipeline)
          .keySet()
          .forEach(source -> sources.put(OriginColumns.id(source.name()), source));
    }
    return sources;
  }

  /** What was made of a record by the pipeline that loads a table. */
  private Optional<Traced> loader(SourcePartition source, long position, String table) {
    List<Traced> all = record(source.name(), position);
    return all.stream()
        .filter(traced -> traced.rows().getOrDefault(table, 0L) > 0)
        .filter(traced -> leadsTo(traced, table))
        .findFirst()
        .or(() -> all.stream().findFirst());
  }

  private static boolean leadsTo(Traced traced, String table) {
    return traced.trial().filter(trial -> trial.targets().contains(table)).isPresent()
        || traced.letters().stream()
            .anyMatch(
                letter -> letter.trial().filter(t -> t.targets().contains(table)).isPresent());
  }

  /**
   * What has become of a record, by each pipeline that takes from its source.
   *
   * @return none if no pipeline knows the source
   */
  public List<Traced> record(String source, long position) {
    SourcePartition partition = new SourcePartition(source);
    List<Traced> traced = new ArrayList<>();
    for (String name : workspace.pipelineNames()) {
      if (workspace.books().bySource(name).containsKey(partition)) {
        traced.add(traced(name, partition, position));
      }
    }
    return traced;
  }

  private Traced traced(String name, SourcePartition source, long position) {
    Optional<Pipeline> pipeline = scene.definition().pipeline(name);
    Optional<Block> block = pipeline.flatMap(p -> fetch(p, source, position));
    boolean taken = workspace.books().bySource(name).get(source).position() > position;
    Optional<PipelineTexts.Text> text = textOf(name, source, position);
    Optional<AsItWas> then = text.flatMap(t -> asItWas(name, t));
    Optional<Shaper> shaper = then.map(AsItWas::shaper).or(() -> pipeline.flatMap(p -> present(p)));
    Optional<RecordTrial> trial = block.flatMap(b -> shaper.map(s -> s.tryOut(b).trials().get(0)));
    return new Traced(
        name,
        source.name(),
        position,
        taken,
        state.flatMap(s -> s.tally().accountedBy(name, source, position)),
        block.map(b -> b.records().bytes(0)),
        text.map(PipelineTexts.Text::version),
        then.isEmpty(),
        trial,
        rows(name, source, position),
        letters(name, source, position));
  }

  private Optional<Shaper> present(Pipeline pipeline) {
    try {
      return Optional.of(scene.compilation().compiling().now(pipeline).shaper());
    } catch (OutsideException e) {
      return Optional.empty();
    }
  }

  /** A pipeline as it was; empty if its text is not understood any more. */
  private Optional<AsItWas> asItWas(String name, PipelineTexts.Text text) {
    Compiling compiling = scene.compilation().compiling();
    try {
      return AsItWas.of(name, text, compiling, true);
    } catch (MistakesException | OutsideException e) {
      return Optional.empty();
    }
  }

  /** The text with which a record was taken: the last that began at it or before. */
  private Optional<PipelineTexts.Text> textOf(String name, SourcePartition source, long position) {
    Optional<PipelineTexts.Text> found = Optional.empty();
    for (PipelineTexts.Turn turn : state.map(s -> s.texts().turns(name)).orElse(List.of())) {
      if (turn.from().getOrDefault(source, 0L) <= position) {
        found = Optional.of(turn.text());
      }
    }
    return found;
  }

  /** A record as a block of its own, if its source still has it. */
  private Optional<Block> fetch(Pipeline pipeline, SourcePartition source, long position) {
    Map<SourcePartition, Long> bounds = Map.of(source, position + 1);
    try (Intake intake =
        new BoundedIntake(scene.ends().intake(pipeline, notice -> {}, false, () -> true), bounds)) {
      Assigner assigner = new Assigner(intake, known -> position);
      for (int tries = 0; tries < TRIES; tries++) {
        Optional<Block> block = assigner.next(PATIENCE);
        if (block.isPresent()) {
          Framing whole = block.get().framing();
          Framing one = same -> whole.cut(same).since(position);
          Block alone = block.get().with(block.get().end(), one);
          boolean there = alone.records().count() == 1 && alone.records().position(0) == position;
          return there ? Optional.of(alone) : Optional.empty();
        }
        if (intake.drained()) {
          return Optional.empty();
        }
      }
      return Optional.empty();
    } catch (OutsideException e) {
      return Optional.empty(); // The source does not have the position any more.
    }
  }

  private Map<String, Long> rows(String pipeline, SourcePartition source, long position) {
    Map<String, Long> rows = new TreeMap<>();
    Map<String, Long> loaded = workspace.tally(pipeline).counts().loaded();
    for (String table : tables()) {
      Table known = scene.definition().tables().get(table);
      if (!loaded.containsKey(table)) {
        continue;
      }
      if (!workspace.tables().isThere(known)) {
        rows.put(table, 0L);
        continue;
      }
      String sql =
          "select count(*) from "
              + Querying.quoted(table)
              + " where "
              + Querying.quoted(OriginColumns.SOURCE)
              + " = "
              + OriginColumns.id(source.name())
              + " and "
              + Querying.quoted(OriginColumns.POSITION)
              + " = "
              + position;
      Object count = workspace.query(known.store(), sql).rows().get(0).get(0);
      rows.put(table, Long.parseLong(String.valueOf(count)));
    }
    return rows;
  }

  private List<Traced.Letter> letters(String name, SourcePartition source, long position) {
    DeadFilter all = DeadFilter.ALL;
    DeadFilter fromThere =
        new DeadFilter(
            all.reason(),
            all.step(),
            all.field(),
            Optional.of(source.name()),
            all.text(),
            all.since(),
            all.until(),
            all.places());
    List<Traced.Letter> letters = new ArrayList<>();
    workspace
        .dead()
        .readAll(
            name,
            fromThere,
            kept -> {
              if (kept.letter().record().position() == position) {
                letters.add(letter(name, kept));
              }
              return true;
            });
    return letters;
  }

  private Traced.Letter letter(String name, KeptLetter kept) {
    Optional<ReplayFacts> facts = workspace.dead().chosen(kept);
    Optional<Replays.Replay> replay = workspace.dead().by(kept);
    Optional<RecordTrial> trial =
        replay
            .flatMap(Replays.Replay::version)
            .flatMap(
                version -> state.orElseThrow().texts().find(ReplaySource.textOf(name), version))
            .flatMap(text -> asItWas(name, text))
            .map(
                then -> {
                  Map<Replays.At, byte[]> mended =
                      state.orElseThrow().replays().mended(replay.orElseThrow().number());
                  KeptLetter.Place at = kept.place();
                  byte[] bytes = mended.get(new Replays.At(at.partition(), at.position()));
                  return then.shaper()
                      .tryOut((bytes == null ? kept.letter() : kept.letter().with(bytes)).block())
                      .trials()
                      .get(0);
                });
    return new Traced.Letter(kept, facts, trial);
  }
}
