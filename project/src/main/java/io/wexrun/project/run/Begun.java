package io.wexrun.project.run;

import io.wexrun.core.channel.BoundedChannel;
import io.wexrun.core.channel.Channel;
import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.MistakesException;
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
import io.wexrun.core.run.TargetOpener;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.Corrections;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.open.Ends;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.state.PipelineTexts;
import io.wexrun.state.Replays;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.function.Predicate;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;

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

  /**
   * From where a pipeline takes: from its intake, or from its dead letters when they are replayed.
   *
   * @param has which source partitions come from there
   * @param channels whether what comes from there may wait in a channel on disk
   * @param text the name under which the text is kept with which it took from there last
   * @param spans the texts with which it took from there, in order
   */
  private record Way(
      Predicate<SourcePartition> has,
      Opening intake,
      boolean channels,
      UnaryOperator<String> text,
      Spans spans) {
    interface Opening {
      Intake open(Ends ends, Pipeline pipeline);
    }

    interface Spans {
      List<Span> of(String pipeline);
    }
  }

  /**
   * What was taken with one text.
   *
   * @param text empty if it is not known any more
   * @param ends where it ends in each source partition; those that are not there have nothing of it
   * @param last whether it goes on to the end in all that are not there
   */
  private record Span(
      Optional<PipelineTexts.Text> text, Map<SourcePartition, Long> ends, boolean last) {}

  private Way live() {
    return new Way(
        source -> !ReplaySource.is(source),
        (ends, pipeline) -> ends.intake(pipeline, notice -> {}, false, () -> true),
        true,
        name -> name,
        this::spans);
  }

  private List<Span> spans(String pipeline) {
    List<PipelineTexts.Turn> turns = state.texts().turns(pipeline);
    List<Span> spans = new ArrayList<>();
    for (int i = 1; i < turns.size(); i++) {
      spans.add(new Span(Optional.of(turns.get(i - 1).text()), turns.get(i).from(), false));
    }
    spans.add(new Span(state.texts().current(pipeline), Map.of(), true));
    return spans;
  }

  private Way replayed(String pipeline, Replay replay) {
    return new Way(
        source -> ReplaySource.number(source).equals(OptionalLong.of(replay.number())),
        (ends, p) -> intake(state, ends, p, replay),
        false,
        ReplaySource::textOf,
        name -> {
          Optional<PipelineTexts.Text> text =
              replay
                  .version()
                  .flatMap(version -> state.texts().find(ReplaySource.textOf(name), version));
          return List.of(new Span(text, Map.of(), true));
        });
  }

  /** The dead letters of a replay as an intake. */
  static Intake intake(WorkspaceState state, Ends ends, Pipeline pipeline, Replay replay) {
    Chosen chosen = Chosen.of(pipeline.name(), Optional.of(state));
    Map<Replays.At, byte[]> mended = state.replays().mended(replay.number());
    return ends.letters(pipeline, replay, queue -> chosen.in(queue).choosing(replay, mended));
  }

  /** A pipeline's text, with the versions of what it looks up. */
  public String text(Pipeline pipeline, Compiling.Compiled compiled) {
    return PipelineText.of(pipeline, compiled);
  }

  /**
   * If the pipeline was changed after a crash, the range between the tally and what its targets
   * have committed is finished with the text it began with, because only that gives the same rows
   * again.
   *
   * @param now the pipeline's text, with the versions of what it looks up
   */
  public void finishWithOldText(Pipeline pipeline, String now) {
    finishWithOldText(pipeline, now, live());
  }

  /**
   * The same for what a replay of dead letters has begun.
   *
   * @param now the pipeline's text, with the versions of what it looks up
   */
  public void finishReplay(Pipeline pipeline, Replay replay, String now) {
    finishWithOldText(pipeline, now, replayed(pipeline.name(), replay));
  }

  private void finishWithOldText(Pipeline pipeline, String now, Way way) {
    boolean tables = false;
    try {
      Optional<AsItWas> found = old(pipeline, now, false, way);
      if (found.isPresent()) {
        tables = !found.get().tables().isEmpty();
        finish(found.get(), way);
      }
    } catch (OutsideException e) {
      if (hasLostTargets(pipeline, way)) {
        return; // Nobody wants what was begun there; the others go on where they are.
      }
      if (!tables) {
        throw e;
      }
      // Their store may have been changed with them: then they are filled as they are now.
      finish(old(pipeline, now, true, way).orElseThrow(), way);
    }
  }

  /** Whether the pipeline wrote, when it ran last, to something that is not defined any more. */
  private boolean hasLostTargets(Pipeline pipeline, Way way) {
    String text = current(pipeline, way).map(PipelineTexts.Text::text).orElse("");
    Diagnostics diagnostics = Diagnostics.of("pipeline " + pipeline.name());
    return DefinitionText.read(pipeline.name(), text, diagnostics)
        .map(
            old ->
                Stream.of(
                        old.route().stream(),
                        old.dead().stream(),
                        old.kinds().stream().flatMap(k -> k.route().stream()))
                    .flatMap(routes -> routes)
                    .flatMap(route -> route.to().stream())
                    .anyMatch(name -> !ends.isDefined(name)))
        .orElse(false);
  }

  private Optional<PipelineTexts.Text> current(Pipeline pipeline, Way way) {
    return state.texts().current(way.text().apply(pipeline.name()));
  }

  private void finish(AsItWas old, Way way) {
    String name = old.pipeline().name();
    List<ChannelConnector> channels = way.channels() ? ends.holding(name) : List.of();
    for (ChannelConnector connector : channels) {
      Map<SourcePartition, Long> bounds = begun(old, way);
      if (!bounds.isEmpty()) {
        Channel waiting = ends.openLeft(connector, name);
        drain(old, new NoIntake(), new BoundedChannel(waiting, bounds));
      }
    }
    Map<SourcePartition, Long> bounds = begun(old, way);
    if (!bounds.isEmpty()) {
      Intake intake = way.intake().open(ends, old.pipeline());
      Map<SourcePartition, Long> positions = state.tally().positions(name);
      drain(
          old,
          new BoundedIntake(intake, bounds),
          new MemoryChannel(lanes.raw().share(), positions));
    }
  }

  /**
   * Takes again what somebody has chosen to take again, from sources that still have it; the books
   * stay as they are, since it is in them already. It is done with the texts with which it was
   * taken before, as only that gives the same rows again.
   *
   * @param now the pipeline's text, with the versions of what it looks up
   * @return whether there was anything
   * @throws OutsideException if a source does not have all of it any more
   */
  public boolean takeAgain(Pipeline pipeline, Shaper shaper, String now) {
    String name = pipeline.name();
    if (state.corrections().retakes(name).isEmpty()) {
      return false;
    }
    takeAgain(pipeline, shaper, now, live());
    for (Replay replay : state.replays().all(name)) {
      takeAgain(pipeline, shaper, now, replayed(name, replay));
    }
    requireAllAgain(name);
    Setbacks.settle(state, ends, pipeline); // What somebody had given up before may be among it.
    return true;
  }

  private void takeAgain(Pipeline pipeline, Shaper shaper, String now, Way way) {
    List<Span> spans = way.spans().of(pipeline.name());
    for (Span span : spans) {
      Map<SourcePartition, Long> bounds = new HashMap<>();
      state
          .corrections()
          .retakes(pipeline.name())
          .forEach(
              (source, part) -> {
                long end = span.ends().getOrDefault(source, span.last() ? part.until() : 0L);
                if (way.has().test(source) && end > part.position()) {
                  bounds.put(source, Math.min(end, part.until()));
                }
              });
      if (!bounds.isEmpty()) {
        takeAgain(old(span, pipeline, shaper, now), bounds, way);
      }
    }
  }

  /** A pipeline as it was; or as it is now, if that cannot be made any more. */
  private AsItWas old(Span span, Pipeline pipeline, Shaper shaper, String now) {
    AsItWas present = new AsItWas(pipeline, shaper, Map.of());
    try {
      return span.text().flatMap(text -> old(pipeline, text, now, true)).orElse(present);
    } catch (OutsideException | MistakesException e) {
      if (span.last()) {
        throw e;
      }
      return present; // What it looked up then, or loaded, is not there any more.
    }
  }

  private void takeAgain(AsItWas old, Map<SourcePartition, Long> bounds, Way way) {
    RetakingTally tally = new RetakingTally(state);
    Pipeline with = old.pipeline();
    Intake intake = way.intake().open(ends, with);
    RunParts run =
        new RunParts(
            with,
            old.shaper(),
            new BoundedIntake(intake, bounds),
            new MemoryChannel(lanes.raw().share(), tally.positions(with.name())),
            onlyTo(state.corrections().retakeTargets(with.name()), ends.targets(with)),
            tally);
    drain(run);
  }

  /** Opens some targets; the others have what is taken again. */
  private static TargetOpener onlyTo(Set<String> targets, TargetOpener opener) {
    return (name, writer) ->
        targets.contains(name) ? opener.open(name, writer) : new PassedTarget();
  }

  /** A target that has everything that comes. */
  private static final class PassedTarget implements Target {
    @Override
    public Map<SourcePartition, Long> progress() {
      return Map.of();
    }

    @Override
    public Staged stage(Flush flush) {
      return () -> new Receipt(0, flush.rows());
    }

    @Override
    public void close() {
      // Nothing is open.
    }
  }

  private void requireAllAgain(String name) {
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
  }

  /**
   * The pipeline as it ran last, if that is not as it is now.
   *
   * @param tablesOfNow whether its tables are to be as they are now
   */
  private Optional<AsItWas> old(Pipeline pipeline, String now, boolean tablesOfNow, Way way) {
    return current(pipeline, way).flatMap(text -> old(pipeline, text, now, tablesOfNow));
  }

  private Optional<AsItWas> old(
      Pipeline pipeline, PipelineTexts.Text kept, String now, boolean tablesOfNow) {
    // One of another name goes on where another one was, which had finished.
    return kept.text().equals(now)
        ? Optional.empty()
        : AsItWas.of(pipeline.name(), kept, compiling, tablesOfNow);
  }

  /** The source partitions of which some target has more than the tally, and how much. */
  private Map<SourcePartition, Long> begun(AsItWas old, Way way) {
    String name = old.pipeline().name();
    Map<SourcePartition, Long> positions = state.tally().positions(name);
    Map<SourcePartition, Long> bounds = new HashMap<>();
    TargetOpener opener = ends.targets(old.pipeline(), old.tables());
    Map<String, Target> open =
        RunParts.openTargets(old.pipeline(), old.shaper(), opener, state.tally());
    for (Target target : open.values()) {
      target
          .progress()
          .forEach(
              (source, end) -> {
                if (way.has().test(source) && end > positions.getOrDefault(source, 0L)) {
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
      drain(new AsItWas(pipeline, shaper, Map.of()), new NoIntake(), left);
      ends.remove(connector, pipeline.name());
    }
  }

  private void drain(AsItWas old, Intake intake, Channel channel) {
    TargetOpener opener = ends.targets(old.pipeline(), old.tables());
    drain(new RunParts(old.pipeline(), old.shaper(), intake, channel, opener, state.tally()));
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
    public boolean listen(Runnable come) {
      return true;
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
