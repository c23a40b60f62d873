package io.wexrun.project.run;

import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.BoundedIntake;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Deaths;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.PipelineRun;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.run.RunParts;
import io.wexrun.core.tally.RenamedTally;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.Shadows;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.state.PipelineTexts;
import io.wexrun.state.Rebuilds.Older;
import io.wexrun.state.Rebuilds.Phase;
import io.wexrun.state.Rebuilds.Rebuild;
import io.wexrun.state.WorkspaceState;
import java.time.Instant;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.Predicate;

/**
 * Takes one rebuild further: its pipeline runs, by the text that was kept for it, over what its
 * source still has into shadow tables, up to where the pipeline itself has got. Every step can be
 * killed and is gone on with.
 */
public final class Rebuilding {
  private final WorkspaceState state;
  private final Ends ends;
  private final Lanes lanes;
  private final RunOptions options;
  private final Rebuild rebuild;
  private final AsItWas text;
  private final Shadows shadows;
  private final TallyStore tally;
  private PipelineRun run;
  private boolean stopped;

  /**
   * Of a rebuild that is open.
   *
   * @param compiling compiles the text that was kept for it
   * @throws OutsideException if that text cannot be compiled any more
   */
  public Rebuilding(
      WorkspaceState state,
      Ends ends,
      Lanes lanes,
      RunOptions options,
      Compiling compiling,
      Rebuild rebuild) {
    this.state = state;
    this.ends = ends;
    this.lanes = lanes;
    this.options = options.drained();
    this.rebuild = rebuild;
    this.text = text(state, compiling, rebuild);
    this.shadows = ends.shadows(rebuild, text.tables());
    this.tally = tally(state, rebuild);
  }

  private static AsItWas text(WorkspaceState state, Compiling compiling, Rebuild rebuild) {
    PipelineTexts texts = state.texts();
    PipelineTexts.Text kept =
        texts
            .find(rebuild.books(), rebuild.version())
            .or(() -> texts.find(rebuild.pipeline(), rebuild.version()))
            .orElseThrow();
    return AsItWas.of(rebuild.pipeline(), kept, compiling, false).orElseThrow();
  }

  /** The books of a rebuild. */
  public static TallyStore tally(WorkspaceState state, Rebuild rebuild) {
    return new RenamedTally(state.tally(), rebuild.books(), rebuild.from());
  }

  /**
   * What a rebuild has still to take: by source partition, up to where the pipeline has got.
   *
   * @return empty if it has caught up
   */
  public static Map<SourcePartition, Long> left(WorkspaceState state, Rebuild rebuild) {
    Map<SourcePartition, Long> built = tally(state, rebuild).positions(rebuild.pipeline());
    Map<SourcePartition, Long> left = new TreeMap<>();
    state
        .tally()
        .positions(rebuild.pipeline())
        .forEach(
            (source, end) -> {
              if (!ReplaySource.is(source) && end > built.getOrDefault(source, 0L)) {
                left.put(source, end);
              }
            });
    return left;
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

  /**
   * Makes the shadows, if that is not done, and runs until it has got as far as the pipeline.
   *
   * @return false if it was stopped
   * @throws OutsideException if the world outside failed, or the source does not have any more what
   *     is to be taken
   */
  public boolean catchUp() throws InterruptedException {
    if (rebuild.phase() == Phase.SWAPPING) {
      return true; // It had caught up.
    }
    if (phase() == Phase.PREPARING) {
      state.rebuilds().prepared(rebuild.number(), prepare());
    }
    Map<SourcePartition, Long> left = left(state, rebuild);
    while (!left.isEmpty() && !isStopped()) {
      Map<SourcePartition, Long> before = tally.positions(rebuild.pipeline());
      take(left);
      if (!isStopped()) {
        requireAll(left, before);
      }
      left = left(state, rebuild);
    }
    return !isStopped();
  }

  private Phase phase() {
    return state.rebuilds().all(rebuild.pipeline()).stream()
        .filter(each -> each.number() == rebuild.number())
        .findFirst()
        .orElseThrow()
        .phase();
  }

  private Map<SourcePartition, Older> prepare() {
    String name = rebuild.pipeline();
    Map<SourcePartition, Map<String, Long>> loaded = new HashMap<>();
    shadows
        .make(name, rebuild.from())
        .forEach(
            (table, copied) ->
                copied.forEach(
                    (source, rows) ->
                        loaded.computeIfAbsent(source, s -> new HashMap<>()).put(table, rows)));
    Map<SourcePartition, Map<Reason, Long>> dead = new HashMap<>();
    String letters = text.pipeline().deadLetters();
    Chosen all = Chosen.of(name, Optional.of(state));
    Chosen chosen = ends.lettersIdentity(letters).map(all::in).orElse(all);
    shadows.copyLetters(letters, older(chosen, dead));
    Map<SourcePartition, Older> older = new TreeMap<>();
    rebuild
        .from()
        .keySet()
        .forEach(
            source ->
                older.put(
                    source,
                    new Older(
                        loaded.getOrDefault(source, Map.of()),
                        dead.getOrDefault(source, Map.of()))));
    return older;
  }

  /** Letters of records that are not built again and that nobody has replayed or given up. */
  private Predicate<QueueRecord> older(
      Chosen chosen, Map<SourcePartition, Map<Reason, Long>> counted) {
    return record -> {
      KeptLetter letter = Chosen.kept(rebuild.pipeline(), record);
      SourcePartition source = new SourcePartition(letter.letter().record().source());
      boolean older =
          letter.letter().record().position() < rebuild.from().getOrDefault(source, 0L)
              && !chosen.isGone(letter);
      if (older) {
        counted
            .computeIfAbsent(source, s -> new EnumMap<>(Reason.class))
            .merge(letter.letter().reason(), 1L, Long::sum);
      }
      return older;
    };
  }

  private void take(Map<SourcePartition, Long> bounds) throws InterruptedException {
    String name = rebuild.pipeline();
    Map<SourcePartition, Long> positions = tally.positions(name);
    List<KnownSource> known =
        state.tally().sources(name).stream()
            .filter(source -> !ReplaySource.is(source.partition()))
            .map(
                source ->
                    new KnownSource(
                        source.partition(),
                        source.identity(),
                        positions.getOrDefault(source.partition(), 0L)))
            .toList();
    Intake intake = BoundedIntake.beside(ends.again(text.pipeline(), known), bounds);
    RunParts parts =
        new RunParts(
            text.pipeline().withDeaths(Deaths.ANY),
            text.shaper().withVersion(rebuild.version()),
            intake,
            new MemoryChannel(lanes.raw().share(), positions),
            shadows.opener(state.tally().positions(rebuild.books())),
            tally);
    try (PipelineRun started = PipelineRun.start(parts, lanes, options, RunListener.NONE)) {
      synchronized (this) {
        run = started;
        if (stopped) {
          started.stop();
        }
      }
      started.await();
    }
  }

  private void requireAll(Map<SourcePartition, Long> left, Map<SourcePartition, Long> before) {
    Map<SourcePartition, Long> now = tally.positions(rebuild.pipeline());
    left.forEach(
        (source, until) -> {
          long has = now.getOrDefault(source, 0L);
          if (has < until && has == before.getOrDefault(source, 0L)) {
            throw OutsideException.lasting(
                "pipeline "
                    + rebuild.pipeline()
                    + " has taken "
                    + source
                    + " up to position "
                    + until
                    + ", but its source has it only up to "
                    + has
                    + " now. Put the source back, or give this rebuild up and begin another one:"
                    + " 'wexrun rebuild "
                    + rebuild.pipeline()
                    + " --discard'");
          }
        });
  }

  /**
   * Puts the shadows in their places. The pipeline stands still meanwhile, and the rebuild has
   * caught up with it.
   *
   * @throws OutsideException if a store fails; what is done stays done, and the rest is done the
   *     next time
   */
  public void swap() {
    Rebuild begun = rebuild;
    if (phase() != Phase.SWAPPING) {
      begun =
          state
              .rebuilds()
              .swapping(rebuild.number(), time(), shadows.identities(rebuild.pipeline()));
    }
    ends.shadows(begun, text.tables()).swap(rebuild.pipeline());
    state.rebuilds().swapped(rebuild.number());
  }

  /** The names of what is kept tell seconds, so there is no second swap in one. */
  private Instant time() {
    Instant now = Instant.now();
    return state.rebuilds().all(rebuild.pipeline()).stream()
        .flatMap(each -> each.swapped().stream())
        .map(before -> before.plusSeconds(1))
        .filter(now::isBefore)
        .reduce((a, b) -> b)
        .orElse(now);
  }

  /**
   * Gives the rebuild up, and drops its shadows.
   *
   * @throws OutsideException if one of them is in its place already
   */
  public void discard() {
    if (phase() == Phase.SWAPPING && shadows.isAnyInPlace(rebuild.pipeline())) {
      throw OutsideException.lasting(
          "tables of rebuild "
              + rebuild.number()
              + " are in their places already, so it cannot be given up any more: finish it with"
              + " 'wexrun rebuild "
              + rebuild.pipeline()
              + " --swap'");
    }
    shadows.drop();
    state.rebuilds().discarded(rebuild.number());
  }

  /** Drops the tables of before the swap. */
  public void clear() {
    shadows.dropKept();
    state.rebuilds().cleared(rebuild.number());
  }
}
