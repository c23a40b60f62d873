package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.BoundedIntake;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Progress;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.target.Target;
import io.wexrun.queue.disk.Hold;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import java.util.function.Function;

/**
 * Pipelines of a workspace at work, side by side. If one fails, the others are stopped; what they
 * hold is flushed and accounted for. The methods may be called from any thread.
 */
public final class WorkspaceRun implements AutoCloseable {
  private final Map<String, PipelineRun> runs = new LinkedHashMap<>();
  private final List<Hold> holds = new ArrayList<>();
  private final Holdings holdings;
  private final RunOptions options;

  private WorkspaceRun(Holdings holdings, RunOptions options) {
    this.holdings = holdings;
    this.options = options;
  }

  static WorkspaceRun start(
      List<Pipeline> pipelines,
      Map<String, Shaper> shapers,
      Function<Pipeline, Shaper> compiler,
      Holdings holdings,
      RunOptions options) {
    WorkspaceRun run = new WorkspaceRun(holdings, options.sharedBy(Math.max(1, pipelines.size())));
    try {
      for (Pipeline pipeline : pipelines) {
        run.holds.add(holdings.hold(pipeline));
      }
      for (Pipeline pipeline : pipelines) {
        run.finishOldText(pipeline, compiler);
      }
      for (Pipeline pipeline : feedersFirst(pipelines, shapers)) {
        run.launch(pipeline, shapers.get(pipeline.name()), pipelines, shapers);
      }
      return run;
    } catch (RuntimeException e) {
      run.closeAfter(e);
      throw e;
    }
  }

  private void closeAfter(RuntimeException cause) {
    try {
      close();
    } catch (RuntimeException e) {
      cause.addSuppressed(e);
    }
  }

  /** Pipelines that append to a queue before those that read it. */
  private static List<Pipeline> feedersFirst(
      List<Pipeline> pipelines, Map<String, Shaper> shapers) {
    List<Pipeline> sorted = new ArrayList<>();
    List<Pipeline> left = new ArrayList<>(pipelines);
    while (!left.isEmpty()) {
      Pipeline next =
          left.stream()
              .filter(p -> left.stream().noneMatch(f -> f != p && feeds(f, p, shapers)))
              .findFirst()
              .orElse(left.get(0));
      left.remove(next);
      sorted.add(next);
    }
    return sorted;
  }

  private static boolean feeds(Pipeline feeder, Pipeline reader, Map<String, Shaper> shapers) {
    return reader.intake().kind().equals(Checker.QUEUE)
        && shapers.get(feeder.name()).targets().contains(reader.intake().main());
  }

  private void launch(
      Pipeline pipeline, Shaper shaper, List<Pipeline> all, Map<String, Shaper> shapers) {
    List<Pipeline> feeders = all.stream().filter(f -> feeds(f, pipeline, shapers)).toList();
    BooleanSupplier fed =
        () ->
            options.untilDrained()
                && feeders.stream()
                    .filter(f -> f != pipeline)
                    .allMatch(f -> runs.containsKey(f.name()) && runs.get(f.name()).ended());
    holdings.state().keepText(pipeline.name(), DefinitionText.of(pipeline));
    Map<SourcePartition, Long> positions = holdings.state().positions(pipeline.name());
    Map<String, Target> targets = holdings.targets(pipeline, shaper.targets());
    Intake intake = holdings.intake(pipeline.intake(), positions, !feeders.isEmpty(), fed);
    PipelineRun started =
        PipelineRun.start(pipeline, intake, shaper, targets, holdings.state(), options);
    runs.put(pipeline.name(), started);
  }

  /**
   * If the pipeline was changed after a crash, the range between the tally and what its targets
   * have committed is finished with the text it began with, because only that gives the same rows
   * again.
   */
  private void finishOldText(Pipeline pipeline, Function<Pipeline, Shaper> compiler) {
    Optional<String> kept = holdings.state().text(pipeline.name());
    if (kept.isEmpty() || kept.get().equals(DefinitionText.of(pipeline))) {
      return;
    }
    Diagnostics diagnostics = Diagnostics.of("pipeline " + pipeline.name());
    Optional<Pipeline> old = DefinitionText.read(pipeline.name(), kept.get(), diagnostics);
    diagnostics.orThrow();
    Shaper shaper = compiler.apply(old.orElseThrow());
    Map<SourcePartition, Long> positions = holdings.state().positions(pipeline.name());
    Map<String, Target> targets = holdings.targets(old.get(), shaper.targets());
    Map<SourcePartition, Long> bounds = new HashMap<>();
    for (Target target : targets.values()) {
      target
          .progress()
          .forEach(
              (source, end) -> {
                if (end > positions.getOrDefault(source, 0L)) {
                  bounds.merge(source, end, Math::max);
                }
              });
    }
    if (bounds.isEmpty()) {
      targets.values().forEach(Target::close);
      return;
    }
    Intake intake = holdings.intake(old.get().intake(), positions, false, () -> true);
    RunOptions drained =
        new RunOptions(
            true, options.lanes(), options.channelBytes(), options.bufferBytes(), options.clock());
    try (PipelineRun run =
        PipelineRun.start(
            old.get(),
            new BoundedIntake(intake, bounds),
            shaper,
            targets,
            holdings.state(),
            drained)) {
      run.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new OutsideException("interrupted while finishing what was begun before", e);
    }
  }

  /** How far each pipeline has got since the start, by name. */
  public Map<String, Progress> progress() {
    Map<String, Progress> progress = new LinkedHashMap<>();
    runs.forEach((name, run) -> progress.put(name, run.progress()));
    return progress;
  }

  /** Things a user should know that are not failures, each told once. */
  public List<String> notices() {
    List<String> notices = new ArrayList<>();
    runs.forEach((name, run) -> run.notices().forEach(n -> notices.add(name + ": " + n)));
    return notices;
  }

  /** Whether every pipeline has ended. */
  public boolean ended() {
    return runs.values().stream().allMatch(PipelineRun::ended);
  }

  /** Lets all intakes end; what is held is flushed and accounted for. Returns at once. */
  public void stop() {
    runs.values().forEach(PipelineRun::stop);
  }

  /**
   * Waits until all pipelines have ended: drained, stopped or failed.
   *
   * @throws OutsideException if the world outside failed
   * @throws InterruptedException if this thread was interrupted
   */
  public void await() throws InterruptedException {
    while (!ended()) {
      for (PipelineRun run : runs.values()) {
        if (run.ended() && failed(run)) {
          stop();
        }
      }
      Thread.sleep(5);
    }
    for (PipelineRun run : runs.values()) {
      run.await();
    }
  }

  private static boolean failed(PipelineRun run) throws InterruptedException {
    try {
      run.await();
      return false;
    } catch (RuntimeException e) {
      return true;
    }
  }

  /** Stops and waits; then the pipelines can be run again. */
  @Override
  public void close() {
    stop();
    RuntimeException failure = null;
    for (PipelineRun run : runs.values()) {
      try {
        run.close();
      } catch (RuntimeException e) {
        failure = failure == null ? e : failure;
      }
    }
    holds.forEach(Hold::close);
    holds.clear();
    if (failure != null) {
      throw failure;
    }
  }
}
