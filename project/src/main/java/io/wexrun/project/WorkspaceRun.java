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
import io.wexrun.core.tally.Account;
import io.wexrun.core.target.Target;
import io.wexrun.queue.DiskChannel;
import io.wexrun.state.Hold;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Function;

/**
 * Pipelines of a workspace at work, side by side. If one fails, the others are stopped; what they
 * hold is flushed and accounted for. The methods may be called from any thread.
 */
public final class WorkspaceRun implements AutoCloseable {
  private final Map<String, Running> runs = new LinkedHashMap<>();
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
    Optional<Long> bound = pipeline.channel().diskBytes();
    if (bound.isEmpty()) {
      emptyChannel(pipeline, shaper);
    }
    Running run =
        bound.isPresent()
            ? channeled(pipeline, shaper, bound.get(), !feeders.isEmpty(), fed)
            : direct(pipeline, shaper, !feeders.isEmpty(), fed);
    runs.put(pipeline.name(), run);
  }

  private Running direct(Pipeline pipeline, Shaper shaper, boolean appended, BooleanSupplier fed) {
    Map<SourcePartition, Long> positions = holdings.state().positions(pipeline.name());
    Map<String, Target> targets = holdings.targets(pipeline, shaper.targets());
    Intake intake = holdings.intake(pipeline.intake(), positions, appended, fed);
    return new Running.Direct(
        PipelineRun.start(pipeline, intake, shaper, targets, holdings.state(), options));
  }

  private Running channeled(
      Pipeline pipeline, Shaper shaper, long bound, boolean appended, BooleanSupplier fed) {
    DiskChannel channel = holdings.channel(pipeline, bound);
    try {
      Intake intake = holdings.intake(pipeline.intake(), channel.positions(), appended, fed);
      return ChanneledRun.start(
          pipeline.name(),
          channel,
          intake,
          () -> delivery(pipeline, shaper, channel, channel.intake(), options),
          options.untilDrained());
    } catch (RuntimeException e) {
      channel.close();
      throw e;
    }
  }

  /** A run that takes from a channel on disk. */
  private PipelineRun delivery(
      Pipeline pipeline, Shaper shaper, DiskChannel channel, Intake from, RunOptions with) {
    return PipelineRun.start(
        pipeline,
        from,
        shaper,
        holdings.targets(pipeline, shaper.targets()),
        new ToldTally(holdings.state(), channel::accounted),
        with);
  }

  /** Delivers what waits on disk from a time when the pipeline had a channel there. */
  private void emptyChannel(Pipeline pipeline, Shaper shaper) {
    if (holdings.held(pipeline) > 0) {
      try (DiskChannel channel = holdings.channel(pipeline, Long.MAX_VALUE)) {
        channel.end();
        drain(delivery(pipeline, shaper, channel, channel.intake(), drained()));
      }
    }
    holdings.deleteQueue(pipeline.channelQueue());
  }

  private RunOptions drained() {
    return new RunOptions(
        true, options.lanes(), options.channelBytes(), options.bufferBytes(), options.clock());
  }

  private static void drain(PipelineRun started) {
    try (PipelineRun run = started) {
      run.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new OutsideException("interrupted while finishing what was begun before", e);
    }
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
    if (holdings.held(pipeline) > 0) {
      try (DiskChannel channel = holdings.channel(pipeline, Long.MAX_VALUE)) {
        channel.end();
        finish(old.get(), shaper, positions -> channel.intake(), channel::accounted);
      }
    }
    finish(
        old.get(),
        shaper,
        positions -> holdings.intake(old.get().intake(), positions, false, () -> true),
        accounts -> {});
  }

  /** Takes what lies between the tally and the furthest target once more. */
  private void finish(
      Pipeline old,
      Shaper shaper,
      Function<Map<SourcePartition, Long>, Intake> intake,
      Consumer<List<Account>> told) {
    Map<SourcePartition, Long> positions = holdings.state().positions(old.name());
    Map<String, Target> targets = holdings.targets(old, shaper.targets());
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
    drain(
        PipelineRun.start(
            old,
            new BoundedIntake(intake.apply(positions), bounds),
            shaper,
            targets,
            new ToldTally(holdings.state(), told),
            drained()));
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
    return runs.values().stream().allMatch(Running::ended);
  }

  /** Lets all intakes end; what is held is flushed and accounted for. Returns at once. */
  public void stop() {
    runs.values().forEach(Running::stop);
  }

  /**
   * Waits until all pipelines have ended: drained, stopped or failed.
   *
   * @throws OutsideException if the world outside failed
   * @throws InterruptedException if this thread was interrupted
   */
  public void await() throws InterruptedException {
    while (!ended()) {
      for (Running run : runs.values()) {
        if (run.ended() && failed(run)) {
          stop();
        }
      }
      Thread.sleep(5);
    }
    for (Running run : runs.values()) {
      run.await();
    }
  }

  private static boolean failed(Running run) throws InterruptedException {
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
    for (Running run : runs.values()) {
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
