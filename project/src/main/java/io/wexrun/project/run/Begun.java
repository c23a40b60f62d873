package io.wexrun.project.run;

import io.wexrun.core.channel.BoundedChannel;
import io.wexrun.core.channel.Channel;
import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.BoundedIntake;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.RunParts;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.Corrections;
import io.wexrun.core.target.Target;
import io.wexrun.project.open.Ends;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.state.PipelineTexts;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Finishes what earlier runs of a pipeline have begun, before it runs with its text of today. */
public final class Begun {
  private final WorkspaceState state;
  private final Ends ends;
  private final Lanes lanes;
  private final RunOptions options;
  private final Compiling compiling;

  /**
   * For pipelines of a workspace.
   *
   * @param options of the run; what was begun is drained with them
   * @param compiling compiles pipelines as they were
   */
  public Begun(
      WorkspaceState state, Ends ends, Lanes lanes, RunOptions options, Compiling compiling) {
    this.state = state;
    this.ends = ends;
    this.lanes = lanes;
    this.options = options.drained();
    this.compiling = compiling;
  }

  /** A pipeline's text, with the versions of what it looks up. */
  public String text(Pipeline pipeline, Compiling.Compiled compiled) {
    return PipelineText.of(pipeline, compiled.references().versions());
  }

  /**
   * If the pipeline was changed after a crash, the range between the tally and what its targets
   * have committed is finished with the text it began with, because only that gives the same rows
   * again.
   *
   * @param now the pipeline's text, with the versions of what it looks up
   */
  public void finishWithOldText(Pipeline pipeline, String now) {
    Optional<Old> found = old(pipeline, now);
    if (found.isEmpty()) {
      return;
    }
    Pipeline old = found.get().pipeline();
    Shaper shaper = found.get().shaper();
    for (ChannelConnector connector : ends.holding(pipeline.name())) {
      Map<SourcePartition, Long> bounds = begun(old, shaper);
      if (!bounds.isEmpty()) {
        Channel waiting = ends.openLeft(connector, pipeline.name());
        drain(old, shaper, new NoIntake(), new BoundedChannel(waiting, bounds));
      }
    }
    Map<SourcePartition, Long> bounds = begun(old, shaper);
    if (!bounds.isEmpty()) {
      Intake intake = ends.intake(old, notice -> {}, false, () -> true);
      Map<SourcePartition, Long> positions = state.tally().positions(pipeline.name());
      drain(
          old,
          shaper,
          new BoundedIntake(intake, bounds),
          new MemoryChannel(lanes.raw().share(), positions));
    }
  }

  /**
   * Takes again what somebody has chosen to take again, from sources that still have it; the books
   * stay as they are, since it is in them already. It is done with the text with which the pipeline
   * ran last.
   *
   * @param now the pipeline's text, with the versions of what it looks up
   * @return whether there was anything
   * @throws OutsideException if a source does not have all of it any more
   */
  public boolean takeAgain(Pipeline pipeline, Shaper shaper, String now) {
    String name = pipeline.name();
    Map<SourcePartition, Corrections.Retake> parts = state.corrections().retakes(name);
    if (parts.isEmpty()) {
      return false;
    }
    Optional<Old> old = old(pipeline, now);
    RetakingTally tally = new RetakingTally(state);
    Pipeline with = old.map(Old::pipeline).orElse(pipeline);
    Map<SourcePartition, Long> bounds = new HashMap<>();
    parts.forEach((source, part) -> bounds.put(source, part.until()));
    Intake intake = ends.intake(with, notice -> {}, false, () -> true);
    RunParts run =
        new RunParts(
            with,
            old.map(Old::shaper).orElse(shaper),
            new BoundedIntake(intake, bounds),
            new MemoryChannel(lanes.raw().share(), tally.positions(name)),
            ends.targets(with),
            tally);
    drain(run);
    Map<SourcePartition, Corrections.Retake> left = state.corrections().retakes(name);
    if (!left.isEmpty()) {
      Map.Entry<SourcePartition, Corrections.Retake> first = left.entrySet().iterator().next();
      throw OutsideException.lasting(
          "pipeline "
              + name
              + " was to take "
              + first.getKey()
              + " again up to position "
              + first.getValue().until()
              + ", but its source has it only up to "
              + first.getValue().position()
              + ". Put the source back, or accept the loss: 'wexrun reconcile "
              + name
              + " --accept'");
    }
    Setbacks.settle(state, ends, with); // What somebody had given up before may be among it.
    return true;
  }

  /** A pipeline as it ran last. */
  private record Old(Pipeline pipeline, Shaper shaper) {}

  /** The pipeline as it ran last, if that is not as it is now. */
  private Optional<Old> old(Pipeline pipeline, String now) {
    Optional<PipelineTexts.Text> kept = state.texts().current(pipeline.name());
    if (kept.isEmpty() || kept.get().text().equals(now)) {
      return Optional.empty();
    }
    Diagnostics diagnostics = Diagnostics.of("pipeline " + pipeline.name());
    Optional<Pipeline> old = DefinitionText.read(pipeline.name(), kept.get().text(), diagnostics);
    diagnostics.orThrow();
    if (!old.orElseThrow().name().equals(pipeline.name())) {
      return Optional.empty(); // It goes on where another one was, which had finished.
    }
    Map<String, String> references = PipelineText.references(kept.get().text());
    Shaper shaper = compiling.asKept(old.get(), references).shaper();
    return Optional.of(new Old(old.get(), shaper.withVersion(kept.get().version())));
  }

  /** The source partitions of which some target has more than the tally, and how much. */
  private Map<SourcePartition, Long> begun(Pipeline old, Shaper shaper) {
    Map<SourcePartition, Long> positions = state.tally().positions(old.name());
    Map<SourcePartition, Long> bounds = new HashMap<>();
    Map<String, Target> open = RunParts.openTargets(old, shaper, ends.targets(old), state.tally());
    for (Target target : open.values()) {
      target
          .progress()
          .forEach(
              (source, end) -> {
                if (end > positions.getOrDefault(source, 0L)) {
                  bounds.merge(source, end, Math::max);
                }
              });
      target.close();
    }
    return bounds;
  }

  /** Delivers what waits from a time when the pipeline had another channel, and removes that. */
  public void emptyLeftChannels(Pipeline pipeline, Shaper shaper) {
    for (ChannelConnector connector : ends.leftChannels(pipeline)) {
      Channel left = ends.openLeft(connector, pipeline.name());
      drain(pipeline, shaper, new NoIntake(), left);
      ends.remove(connector, pipeline.name());
    }
  }

  private void drain(Pipeline pipeline, Shaper shaper, Intake intake, Channel channel) {
    drain(new RunParts(pipeline, shaper, intake, channel, ends.targets(pipeline), state.tally()));
  }

  private void drain(RunParts parts) {
    try (PipelineRun run = PipelineRun.start(parts, lanes, options, RunListener.NONE)) {
      run.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new OutsideException("interrupted while finishing what was begun before", e);
    }
  }

  /** An intake from which nothing comes. */
  private static final class NoIntake implements Intake {
    @Override
    public List<Source> look() {
      return List.of();
    }

    @Override
    public void assign(SourcePartition partition, long position) {
      throw new IllegalStateException("nothing was found that could be assigned");
    }

    @Override
    public void revoke(SourcePartition partition) {
      // Nothing is assigned.
    }

    @Override
    public Optional<Block> poll(Duration wait) {
      return Optional.empty();
    }

    @Override
    public boolean drained() {
      return true;
    }

    @Override
    public void close() {
      // Nothing is open.
    }
  }
}
