package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Growth;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepFailures;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.function.BiConsumer;

/**
 * Compiled steps, one behind the other. Immutable.
 *
 * @param output the fields behind the last step
 */
record Section(List<Placed> steps, Schema output) {
  /** About how many bytes of raw records may be shaped at once. */
  int longestBlock() {
    return steps.stream().mapToInt(s -> s.step().longestBlock()).min().orElse(Integer.MAX_VALUE);
  }

  /** A step and the path of its definition. */
  record Placed(Step step, String path) {}

  /**
   * Compiles steps that stand at a path.
   *
   * @param context what is before the first one
   */
  static Section compile(
      List<StepDefinition> definitions,
      KeyPath at,
      StepContext context,
      Steps kinds,
      Diagnostics diagnostics) {
    List<Placed> steps = new ArrayList<>();
    StepContext now = context;
    for (int i = 0; i < definitions.size(); i++) {
      StepDefinition definition = definitions.get(i);
      String path = at.index(i).key(definition.kind()).toString();
      Schema schema = now.input();
      for (Step step : kinds.compile(definition, now, at.index(i), diagnostics)) {
        steps.add(new Placed(step, path));
        schema = step.output();
      }
      now = now.behind(schema);
    }
    return new Section(List.copyOf(steps), now.input());
  }

  /** These steps with others behind them, which were compiled for what these give. */
  Section then(Section others) {
    List<Placed> all = new ArrayList<>(steps);
    all.addAll(others.steps);
    return new Section(List.copyOf(all), others.output);
  }

  /** Adds the fields behind each step. */
  void schemas(Map<String, Schema> schemas) {
    steps.forEach(placed -> schemas.put(placed.path, placed.step.output()));
  }

  /** A step failed on a batch of several records, or makes too much of them. */
  static final class StepFailedException extends RuntimeException {
    private static final long serialVersionUID = 1;

    private StepFailedException(Throwable cause) {
      super(cause.getMessage(), cause);
    }
  }

  /** Runs a step; a single record that it fails on dies. */
  private static Batch apply(Step step, Batch batch, Rejects rejects) {
    int records = batch.records().count();
    try {
      Growth.begin(Growth.limit(records), batch.allocated());
      return step.apply(batch, rejects);
    } catch (Exception | Error e) {
      if (!StepFailures.areOfRecord(e)) {
        throw e;
      }
      if (records > 1) {
        throw new StepFailedException(e);
      }
      rejects.reject(0, Reason.FAILED_STEP, "", StepFailures.detail(e));
      List<Vector> none =
          step.output().columns().stream().map(c -> Vectors.forType(c.type(), 0)).toList();
      return new Batch(step.output(), none, 0, batch.records(), new int[0]);
    } finally {
      Growth.end();
    }
  }

  /**
   * Runs the steps; {@code behind} is shown each one's batch.
   *
   * @throws StepFailedException if one of them fails, and there are several records
   */
  Batch apply(Batch batch, Rejects rejects, Efforts efforts, BiConsumer<String, Batch> behind) {
    Batch now = batch;
    efforts.begin(batch, rejects);
    for (Placed placed : steps) {
      rejects.step(placed.path);
      now = apply(placed.step, now, rejects);
      efforts.end(placed.path, now, rejects);
      behind.accept(placed.path, now);
    }
    return now;
  }
}
