package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.Path;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.Steps;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiConsumer;
import java.util.function.Function;
import java.util.stream.Stream;

/**
 * A pipeline's shape and route, compiled: the pure function from a block to rows for each target.
 * No I/O, no clock, no state: used by all lanes at once, with the same result on every run.
 */
public final class Shaper {
  /** How long a record may be if the intake does not say. */
  public static final long LONGEST = 256 << 10;

  private record PlacedStep(Step step, String path) {}

  private final List<PlacedStep> steps;
  private final Router router;
  private final long longest;
  private final List<String> onLibrary;

  private Shaper(List<PlacedStep> steps, Router router, long longest, List<String> onLibrary) {
    this.steps = steps;
    this.router = router;
    this.longest = longest;
    this.onLibrary = onLibrary;
  }

  /**
   * Compiles a pipeline.
   *
   * @param kinds the kinds of steps that there are
   * @param destinations finds the tables and queues that a route names
   * @param known their names, for suggestions
   * @param diagnostics takes every mistake; if it has errors afterwards, the result is not to be
   *     used
   */
  public static Shaper compile(
      Pipeline pipeline,
      Steps kinds,
      Function<String, Optional<Destination>> destinations,
      List<String> known,
      Diagnostics diagnostics) {
    Steps.checkPatterns(pipeline.patterns(), diagnostics);
    List<PlacedStep> steps = new ArrayList<>();
    List<String> onLibrary = new ArrayList<>();
    Set<String> doubtful = new HashSet<>();
    Path shape = Path.ROOT.key("shape");
    Schema schema = Schema.EMPTY;
    for (int i = 0; i < pipeline.shape().size(); i++) {
      StepDefinition definition = pipeline.shape().get(i);
      StepContext context =
          new StepContext(
              schema, i == 0, pipeline.intake(), pipeline.patterns(), doubtful, onLibrary);
      String path = shape.index(i).key(definition.kind()).toString();
      for (Step step : kinds.compile(definition, context, shape.index(i), diagnostics)) {
        steps.add(new PlacedStep(step, path));
        schema = step.output();
      }
    }
    Router router =
        Router.compile(pipeline.route(), schema, doubtful, destinations, known, diagnostics);
    return new Shaper(
        steps,
        router,
        longest(pipeline, diagnostics),
        Stream.concat(onLibrary.stream(), router.onLibrary().stream()).toList());
  }

  private static long longest(Pipeline pipeline, Diagnostics diagnostics) {
    Optional<String> written = pipeline.intake().text("longest");
    Optional<Long> bytes = written.flatMap(Sizes::bytes);
    if (written.isPresent() && bytes.isEmpty()) {
      diagnostics.error(
          "bad-size",
          Path.ROOT.key("intake").key("longest"),
          "'" + written.get() + "' is not a size",
          Optional.of("write it like 256KB or 4MB"));
    }
    return bytes.orElse(LONGEST);
  }

  /** The names of the tables and queues that records may go to, without the dead letters. */
  public Set<String> targets() {
    return router.targets();
  }

  /** The columns after each step, by the step's path, in order. */
  public Map<String, Schema> schemas() {
    Map<String, Schema> schemas = new LinkedHashMap<>();
    steps.forEach(s -> schemas.put(s.path, s.step.output()));
    return schemas;
  }

  /** The parts of expressions that run row by row on the expression library, with their paths. */
  public List<String> onLibrary() {
    return onLibrary;
  }

  /** Shapes and routes the records of a block. */
  public Shaped shape(Block block) {
    return shape(block, block.records(), (step, batch) -> {});
  }

  /** Shapes a block's records and tells of each what every step made of it. */
  public Tried tryOut(Block block) {
    Records records = block.records();
    Map<String, Batch> batches = new LinkedHashMap<>();
    Shaped shaped = shape(block, records, batches::put);
    return new Tried(Trial.of(records, batches, shaped), shaped);
  }

  /**
   * The records of a block, tried out.
   *
   * @param trials one for each record, in order
   * @param shaped what would become of the block
   */
  public record Tried(List<Trial> trials, Shaped shaped) {}

  private Shaped shape(Block block, Records records, BiConsumer<String, Batch> behind) {
    Rejects rejects = new Rejects();
    rejects.step("intake");
    rejectTooLong(records, rejects);
    Batch batch = Batch.raw(records);
    for (PlacedStep placed : steps) {
      rejects.step(placed.path);
      batch = placed.step.apply(batch, rejects);
      behind.accept(placed.path, batch);
    }
    Router.Routed routed = router.route(batch, rejects);
    Rows dead = Rows.all(rejects.letters(records, block.source().name()));
    return new Shaped(
        block,
        records.count(),
        routed.unfolded(),
        routed.copied(),
        routed.dropped() + rejects.dropped(),
        routed.rows(),
        dead,
        rejects.reasons(),
        rejects.fitted());
  }

  private void rejectTooLong(Records records, Rejects rejects) {
    for (int record = 0; record < records.count(); record++) {
      int length = records.end(record) - records.start(record);
      if (length > longest) {
        String detail = length + " bytes, " + longest + " are allowed (intake: longest)";
        rejects.reject(record, Reason.TOO_LONG, "", detail);
      }
    }
  }
}
