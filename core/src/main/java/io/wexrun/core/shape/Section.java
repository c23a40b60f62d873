package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
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

  /** Runs the steps; {@code behind} is shown each one's batch. */
  Batch apply(Batch batch, Rejects rejects, Efforts efforts, BiConsumer<String, Batch> behind) {
    Batch now = batch;
    efforts.begin(batch, rejects);
    for (Placed placed : steps) {
      rejects.step(placed.path);
      now = placed.step.apply(now, rejects);
      efforts.end(placed.path, now, rejects);
      behind.accept(placed.path, now);
    }
    return now;
  }
}
