package io.wexrun.project;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.connect.PlannedSource;
import io.wexrun.core.connect.PlannedSource.Plan;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.Renewal;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.RunParts;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.open.Ends;
import io.wexrun.project.run.Begun;
import io.wexrun.project.run.Compiling;
import io.wexrun.project.run.Feeding;
import io.wexrun.project.run.Member;
import io.wexrun.project.run.Rebuilding;
import io.wexrun.project.run.ReferenceRenewal;
import io.wexrun.project.time.Schedule;
import io.wexrun.state.Rebuilds.Phase;
import io.wexrun.state.Rebuilds.Rebuild;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import java.util.function.Predicate;

/**
 * Starts pipelines of one definition of a workspace.
 *
 * @param on what the run gives them
 * @param feeding the pipelines, with the shapers of those that could be compiled
 * @param compiling compiles them
 * @param anew whether each is compiled again before it is started for the first time
 */
record Launching(On on, Feeding feeding, Compiling compiling, boolean anew) {
  /** How often what is looked up may be changed while a run starts. */
  private static final int MOST_CHANGES = 10;

  /**
   * What a run gives those that are started in it.
   *
   * @param ended whether a pipeline of this name has ended
   */
  record On(
      WorkspaceState state,
      Lanes lanes,
      RunOptions options,
      RunListener listener,
      Predicate<String> ended) {}

  /** What starts a pipeline: first as it was compiled, then as it is compiled anew. */
  Member.Plan of(Pipeline pipeline) {
    Optional<Schedule> schedule =
        on.options().startsAgain() && pipeline.start().isPlanned()
            ? Optional.of(new Schedule(pipeline.start()))
            : Optional.empty();
    return new Member.Plan(
        starter(pipeline, schedule.isPresent()),
        schedule,
        arrived(pipeline),
        () -> feeding.ends().retryNow(pipeline),
        now -> compiling.started(pipeline, now).values());
  }

  /** Whether a run would take something. */
  private BooleanSupplier arrived(Pipeline pipeline) {
    AtomicReference<Compiling.Compiled> once =
        new AtomicReference<>(feeding.compiled().get(pipeline.name()));
    return () -> {
      Pipeline started = compiling.started(pipeline, Instant.now()).pipeline();
      once.compareAndSet(null, compiling.now(started));
      return feeding.ends().plan(started, Choice.ALL, once.get().shaper()).stream()
          .map(PlannedSource::plan)
          .anyMatch(plan -> plan == Plan.TAKE || plan == Plan.GO_ON);
    };
  }

  private Member.Starter starter(Pipeline pipeline, boolean planned) {
    AtomicReference<Compiling.Compiled> first =
        new AtomicReference<>(anew ? null : feeding.compiled().get(pipeline.name()));
    return now -> {
      Compiling.Started started = compiling.started(pipeline, now);
      Compiling.Compiled compiled = first.getAndSet(null);
      return launch(
          started.pipeline(),
          compiled == null || started.varies() ? compiling.now(started.pipeline()) : compiled,
          planned ? on.options().drained() : on.options(),
          planned);
    };
  }

  private PipelineRun launch(
      Pipeline pipeline, Compiling.Compiled first, RunOptions options, boolean planned) {
    String name = pipeline.name();
    Ends ends = feeding.ends();
    finishSwap(name, options);
    Begun begun = new Begun(on.state(), ends, on.lanes(), options, compiling);
    String text = begun.text(pipeline, first);
    if (begun.takeAgain(pipeline, first.shaper(), text)) {
      tell(name, Notice.Kind.GOES_ON, "took again what was missing in its targets");
    }
    begun.finishWithOldText(pipeline, text);
    List<Pipeline> feeders = feeding.feeders(pipeline);
    BooleanSupplier fed =
        () ->
            options.untilDrained()
                && (planned
                    || feeders.stream()
                        .filter(f -> f != pipeline)
                        .allMatch(f -> on.ended().test(f.name())));
    Compiling.Compiled compiled = kept(pipeline, first, compiling);
    String version = on.state().texts().keep(name, begun.text(pipeline, compiled)).version();
    Shaper shaper = compiled.shaper().withVersion(version);
    begun.emptyLeftChannels(pipeline, shaper);
    Consumer<String> told = what -> tell(name, Notice.Kind.INTAKE, what);
    Channel channel = ends.channel(pipeline, on.lanes().raw());
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
              on.state().tally(),
              compiled.references().versions().isEmpty()
                  ? Renewal.NONE
                  : new ReferenceRenewal(
                      pipeline, compiling, on.state(), compiled.references(), told),
              isResumed(pipeline));
      return PipelineRun.start(parts, on.lanes(), options, on.listener());
    } catch (RuntimeException e) {
      channel.close();
      throw e;
    }
  }

  /** Whether the last run of a pipeline stopped until a person let it continue. */
  private boolean isResumed(Pipeline pipeline) {
    return pipeline.deaths().stop().isPresent()
        && on.state().runs().latest(List.of(pipeline.name()), 1).stream()
            .anyMatch(run -> run.how().equals(Member.HELD));
  }

  /** Tables that were being put in their places when somebody killed that are put there now. */
  private void finishSwap(String name, RunOptions options) {
    Optional<Rebuild> swapping =
        on.state().rebuilds().open(name).filter(each -> each.phase() == Phase.SWAPPING);
    if (swapping.isPresent()) {
      new Rebuilding(on.state(), feeding.ends(), on.lanes(), options, compiling, swapping.get())
          .swap();
      tell(
          name,
          Notice.Kind.GOES_ON,
          "the tables of rebuild " + swapping.get().number() + " are in place");
    }
  }

  private void tell(String pipeline, Notice.Kind kind, String text) {
    on.listener().told(new Notice(pipeline, kind, text, Instant.now()));
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
}
