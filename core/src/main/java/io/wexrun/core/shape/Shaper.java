package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.Path;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
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

  /** Stands for a template with mistakes, so that later steps are checked against its fields. */
  private record Unfinished(Schema output) implements Step {
    static Unfinished of(List<Object> pieces) {
      Schema schema = Schema.EMPTY;
      for (Object piece : pieces) {
        if (piece instanceof Field field && !field.skipped()) {
          schema = schema.with(new Column(field.name(), field.type(), !field.optional()));
        }
      }
      return new Unfinished(schema);
    }

    @Override
    public Batch apply(Batch batch, Rejects rejects) {
      throw new IllegalStateException("a shape with mistakes cannot run");
    }
  }

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
   * @param destinations finds the tables and queues that a route names
   * @param known their names, for suggestions
   * @param diagnostics takes every mistake; if it has errors afterwards, the result is not to be
   *     used
   */
  public static Shaper compile(
      Pipeline pipeline,
      Function<String, Optional<Destination>> destinations,
      List<String> known,
      Diagnostics diagnostics) {
    List<PlacedStep> steps = new ArrayList<>();
    List<String> onLibrary = new ArrayList<>();
    Set<String> doubtful = new HashSet<>();
    Schema schema = Schema.EMPTY;
    Path shape = Path.ROOT.key("shape");
    for (int i = 0; i < pipeline.shape().size(); i++) {
      StepDefinition definition = pipeline.shape().get(i);
      Path path = shape.index(i).key(definition.kind());
      for (Step step : compile(definition, i, schema, path, diagnostics, doubtful, onLibrary)) {
        steps.add(new PlacedStep(step, path.toString()));
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

  private static List<Step> compile(
      StepDefinition definition,
      int index,
      Schema input,
      Path path,
      Diagnostics diagnostics,
      Set<String> doubtful,
      List<String> onLibrary) {
    if (definition instanceof StepDefinition.Template template) {
      int before = diagnostics.errors();
      if (index > 0) {
        diagnostics.error(
            "misplaced-step",
            path,
            "a template reads the raw record, so it is the first step",
            Optional.of("move it to the top of the shape"));
      }
      List<Object> pieces = new TemplateParser(template.template(), path, diagnostics).parse();
      return List.of(
          diagnostics.errors() > before ? Unfinished.of(pieces) : new TemplateStep(pieces));
    }
    if (definition instanceof StepDefinition.Require require) {
      int before = diagnostics.errors();
      for (int i = 0; i < require.fields().size(); i++) {
        String name = require.fields().get(i);
        if (input.find(name).isEmpty()) {
          diagnostics.error(
              "unknown-field",
              path.index(i),
              "there is no field '" + name + "' here",
              Diagnostics.nearestOrKnown(name, input.names(), all -> "the fields are " + all));
        }
      }
      return diagnostics.errors() > before
          ? List.of()
          : List.of(new RequireStep(input, require.fields()));
    }
    List<Step> steps = new ArrayList<>();
    Schema schema = input;
    for (Map.Entry<String, String> set : ((StepDefinition.Set) definition).fields().entrySet()) {
      Optional<Expression> expression =
          new Expressions(schema, doubtful)
              .compile(set.getValue(), path.key(set.getKey()), diagnostics);
      if (expression.isPresent()) {
        Step step = new SetStep(schema, set.getKey(), expression.get());
        expression
            .get()
            .onLibrary()
            .forEach(part -> onLibrary.add(path.key(set.getKey()) + ": " + part));
        steps.add(step);
        schema = step.output();
      } else {
        doubtful.add(set.getKey());
      }
    }
    return steps;
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
    Records records = block.records();
    Rejects rejects = new Rejects();
    rejects.step("intake");
    rejectTooLong(records, rejects);
    Batch batch = Batch.raw(records);
    for (PlacedStep placed : steps) {
      rejects.step(placed.path);
      batch = placed.step.apply(batch, rejects);
    }
    Router.Routed routed = router.route(batch, rejects);
    Rows dead = Rows.all(rejects.letters(records, block.source().name()));
    return new Shaped(
        block,
        records.count(),
        0,
        routed.copied(),
        routed.dropped(),
        routed.rows(),
        dead,
        rejects.reasons());
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
