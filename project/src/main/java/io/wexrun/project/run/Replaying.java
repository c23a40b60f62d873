package io.wexrun.project.run;

import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Deaths;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Renewal;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.RunParts;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.Revival;
import io.wexrun.project.open.Ends;
import io.wexrun.state.Replays.Kind;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;

/**
 * Takes one replay to its end: the chosen dead letters run through their pipeline as it is now, or
 * are dropped. What was done before somebody killed it stays done, and is not done again. Whoever
 * calls it holds the pipeline.
 */
public final class Replaying {
  private final WorkspaceState state;
  private final Ends ends;
  private final Lanes lanes;
  private final RunOptions options;
  private final Compiling compiling;
  private PipelineRun run;
  private boolean stopped;

  /**
   * For pipelines of a workspace.
   *
   * @param compiling compiles them as they are now, and as they were
   */
  public Replaying(
      WorkspaceState state, Ends ends, Lanes lanes, RunOptions options, Compiling compiling) {
    this.state = state;
    this.ends = ends;
    this.lanes = lanes;
    this.options = options.drained();
    this.compiling = compiling;
  }

  /** The text with which a pipeline would replay letters now. */
  public static String text(Pipeline pipeline, Compiling compiling) {
    return PipelineText.of(pipeline, compiling.now(pipeline));
  }

  /**
   * Does what is left of a replay.
   *
   * @return whether all of it is done; false if it was stopped
   * @throws OutsideException if the world outside failed; what is done stays done
   */
  public boolean toTheEnd(Pipeline pipeline, Replay replay) {
    try {
      boolean ended =
          replay.kind() == Kind.DROP ? drop(pipeline, replay) : replay(pipeline, replay);
      if (ended) {
        state.replays().ended(replay.number(), Instant.now());
      }
      return ended;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return false;
    }
  }

  /** Ends soon; what is left is done the next time. From any thread. */
  public synchronized void stop() {
    stopped = true;
    if (run != null) {
      run.stop();
    }
  }

  private synchronized boolean isStopped() {
    return stopped;
  }

  private boolean replay(Pipeline pipeline, Replay replay) throws InterruptedException {
    Compiling.Compiled compiled = compiling.now(pipeline);
    String text = PipelineText.of(pipeline, compiled);
    new Begun(state, ends, lanes, options, compiling).finishReplay(pipeline, replay, text);
    compiled.references().keep();
    String key = ReplaySource.textOf(pipeline.name());
    String version = state.texts().keep(key, text).version();
    state.replays().goesOn(replay.number(), version);
    Shaper shaper = compiled.shaper().withVersion(version);
    Map<SourcePartition, Long> positions = state.tally().positions(pipeline.name());
    RunParts parts =
        new RunParts(
            pipeline.withDeaths(Deaths.ANY),
            shaper,
            Begun.intake(state, ends, pipeline, replay),
            new MemoryChannel(lanes.raw().share(), positions),
            ends.targets(pipeline),
            state.tally(),
            Renewal.NONE);
    try (PipelineRun started = PipelineRun.start(parts, lanes, options, RunListener.NONE)) {
      synchronized (this) {
        run = started;
        if (stopped) {
          started.stop();
        }
      }
      started.await();
    }
    return !isStopped();
  }

  /** Counts letters as dropped that are not counted so yet; each block of them at once. */
  private boolean drop(Pipeline pipeline, Replay replay) {
    Map<SourcePartition, Long> positions = state.tally().positions(pipeline.name());
    try (Intake letters = Begun.intake(state, ends, pipeline, replay)) {
      Assigner assigner = new Assigner(letters, positions);
      Optional<Block> block = assigner.next(Duration.ZERO);
      while (block.isPresent() && !isStopped()) {
        state.tally().account(pipeline.name(), List.of(dropped(block.get())));
        block = assigner.next(Duration.ZERO);
      }
    }
    return !isStopped();
  }

  private static Account dropped(Block block) {
    Records records = block.records();
    SourcePartition source = new SourcePartition(records.source());
    List<Revival> revivals = new ArrayList<>();
    for (int i = 0; i < records.count(); i++) {
      Reason reason = Reason.of(records.former(i).reason()).orElseThrow();
      revivals.add(new Revival(source, Map.of(reason, -1L)));
    }
    long count = records.count();
    Counts counts = new Counts(count, 0, 0, Map.of(), Map.of(), count);
    return new Account(
        block.source(),
        block.first(),
        block.end(),
        counts,
        Map.of(),
        revivals,
        OptionalLong.empty());
  }
}
