package io.wexrun.project;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Progress;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.RunParts;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.ask.AskedRun;
import io.wexrun.project.open.Ends;
import io.wexrun.project.run.Begun;
import io.wexrun.project.run.Compiling;
import io.wexrun.project.run.Feeding;
import io.wexrun.project.run.Notices;
import io.wexrun.project.run.ReferenceRenewal;
import io.wexrun.state.Hold;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Supplier;

/**
 * Pipelines of a workspace at work, side by side. If one fails, the others are stopped; what they
 * hold is flushed and accounted for. The methods may be called from any thread.
 */
public final class WorkspaceRun implements AutoCloseable {
  /** How often what is looked up may be changed while a run starts. */
  private static final int MOST_CHANGES = 10;

  private static final long SHORT_NANOS = 2_000_000_000;

  private final Map<String, PipelineRun> runs = new LinkedHashMap<>();
  private final List<Hold> holds = new ArrayList<>();
  private final WorkspaceState state;
  private final Ends ends;

  private final Lanes lanes;
  private final RunOptions options;
  private final Notices notices = new Notices();
  private final RunListener listener;
  private AskedRun asked;

  private WorkspaceRun(WorkspaceState state, Ends ends, RunOptions options, RunListener listener) {
    this.state = state;
    this.ends = ends;
    this.options = options;
    this.lanes = Lanes.of(options);
    this.listener = RunListener.all(List.of(notices, listener));
  }

  /**
   * Starts pipelines.
   *
   * @param feeding the pipelines with their shapers
   * @param compiling compiles pipelines as they were before, and when what they look up changes
   */
  static WorkspaceRun start(
      Feeding feeding,
      Compiling compiling,
      WorkspaceState state,
      RunOptions options,
      RunListener listener) {
    WorkspaceRun run = new WorkspaceRun(state, feeding.ends(), options, listener);
    try {
      for (Pipeline pipeline : feeding.pipelines()) {
        run.holds.add(state.hold(pipeline.name()));
      }
      Begun begun = new Begun(state, feeding.ends(), run.lanes, options, compiling);
      for (Pipeline pipeline : feeding.pipelines()) {
        Compiling.Compiled compiled = feeding.compiled().get(pipeline.name());
        String text = begun.text(pipeline, compiled);
        if (begun.takeAgain(pipeline, compiled.shaper(), text)) {
          String what = "took again what was missing in its targets";
          run.listener.told(new Notice(pipeline.name(), Notice.Kind.GOES_ON, what, Instant.now()));
        }
        begun.finishWithOldText(pipeline, text);
      }
      for (Pipeline pipeline : feeding.feedersFirst()) {
        run.launch(pipeline, feeding, begun, compiling);
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

  private void launch(Pipeline pipeline, Feeding feeding, Begun begun, Compiling compiling) {
    String name = pipeline.name();
    List<Pipeline> feeders = feeding.feeders(pipeline);
    BooleanSupplier fed =
        () ->
            options.untilDrained()
                && feeders.stream()
                    .filter(f -> f != pipeline)
                    .allMatch(f -> runs.containsKey(f.name()) && runs.get(f.name()).ended());
    Compiling.Compiled compiled = kept(pipeline, feeding.compiled().get(name), compiling);
    String version = state.texts().keep(name, begun.text(pipeline, compiled)).version();
    Shaper shaper = compiled.shaper().withVersion(version);
    begun.emptyLeftChannels(pipeline, shaper);
    Consumer<String> told =
        text -> listener.told(new Notice(name, Notice.Kind.INTAKE, text, Instant.now()));
    Channel channel = ends.channel(pipeline, lanes.raw());
    try {
      Intake intake =
          ends.intake(
              pipeline,
              told,
              !feeders.isEmpty(),
              fed,
              options.choice(),
              options.untilDrained() ? Receiving.TO_THE_END : Receiving.ALWAYS,
              shaper);
      RunParts parts =
          new RunParts(
              pipeline,
              shaper,
              intake,
              channel,
              ends.targets(pipeline),
              state.tally(),
              new ReferenceRenewal(pipeline, compiling, state, compiled.references(), told));
      runs.put(name, PipelineRun.start(parts, lanes, options, listener));
    } catch (RuntimeException e) {
      channel.close();
      throw e;
    }
  }

  /** A pipeline with what it looks up, which is kept; compiled again if that was just changed. */
  private static Compiling.Compiled kept(
      Pipeline pipeline, Compiling.Compiled first, Compiling compiling) {
    Compiling.Compiled compiled = first;
    for (int left = MOST_CHANGES; ; left--) {
      try {
        compiled.references().keep();
        return compiled;
      } catch (OutsideException e) {
        if (left == 0 || !compiled.references().changed()) {
          throw e;
        }
        compiled = compiling.now(pipeline);
      }
    }
  }

  /** Lets other processes ask as long as this runs; if that cannot be, it is told. */
  WorkspaceRun askedBy(Supplier<AskedRun> start) {
    try {
      asked = start.get();
    } catch (OutsideException e) {
      listener.told(new Notice("", Notice.Kind.INTAKE, e.getMessage(), Instant.now()));
    }
    return this;
  }

  /** How far each pipeline has got since the start, by name. */
  public Map<String, Progress> progress() {
    Map<String, Progress> progress = new LinkedHashMap<>();
    runs.forEach((name, run) -> progress.put(name, run.progress()));
    return progress;
  }

  /**
   * The latest things that a user should know and that ended no run, oldest first; asking takes
   * nothing away. Who wants to be told each one gives a listener.
   */
  public List<Notice> notices() {
    return notices.latest();
  }

  /** Whether every pipeline has ended. */
  public boolean ended() {
    return runs.values().stream().allMatch(PipelineRun::ended);
  }

  /**
   * Lets all runs end soon: what is shaped is flushed and accounted for, and what was only read is
   * left to the next run. Returns at once.
   */
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
    long begun = System.nanoTime();
    while (!ended()) {
      for (PipelineRun run : runs.values()) {
        if (run.ended() && failed(run)) {
          stop();
        }
      }
      // A short run is not kept waiting; a long one need not be asked so often.
      Thread.sleep(System.nanoTime() - begun < SHORT_NANOS ? 5 : 50);
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
    if (asked != null) {
      asked.close();
      asked = null;
    }
    for (PipelineRun run : runs.values()) {
      try {
        run.close();
      } catch (RuntimeException e) {
        failure = failure == null ? e : failure;
      }
    }
    lanes.close();
    holds.forEach(Hold::close);
    holds.clear();
    if (failure != null) {
      throw failure;
    }
  }
}
