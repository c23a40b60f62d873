package io.wexrun.project;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Lanes;
import io.wexrun.core.run.RunListener;
import io.wexrun.core.run.RunOptions;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.project.ask.Question;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.dead.Forecast;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.ReplayFacts;
import io.wexrun.project.facts.ReplayForecast;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.run.Replaying;
import io.wexrun.queue.Queue;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.state.Replays;
import io.wexrun.state.Replays.Kind;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.TreeMap;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.Predicate;

/**
 * Replays of dead letters: somebody chooses which ones, and they run through their pipeline as it
 * is now, or are given up. What was chosen stays chosen until it is done, whatever is killed
 * meanwhile; and no letter is chosen twice. For several threads.
 */
public final class WorkspaceReplays {
  private static final int LETTERS = 10_000;

  private final WorkspaceSite site;
  private final WorkspaceQueues queues;
  private final Scene scene;
  private final WorkspaceHistory history;
  private final Function<String, Shaper> shapers;

  /**
   * Replays of a workspace.
   *
   * @param shapers compiles a pipeline
   */
  WorkspaceReplays(
      WorkspaceSite site,
      WorkspaceQueues queues,
      Scene scene,
      WorkspaceHistory history,
      Function<String, Shaper> shapers) {
    this.site = site;
    this.queues = queues;
    this.scene = scene;
    this.history = history;
    this.shapers = shapers;
  }

  /** All that was ever chosen of a pipeline's dead letters, in order. Makes nothing. */
  public List<ReplayFacts> all(String pipeline) {
    return all(pipeline, site.stateIfAny());
  }

  static List<ReplayFacts> all(String pipeline, Optional<WorkspaceState> state) {
    if (state.isEmpty()) {
      return List.of();
    }
    List<Replay> replays = state.get().replays().all(pipeline);
    if (replays.isEmpty()) {
      return List.of();
    }
    Map<SourcePartition, SourceTally> books = state.get().tally().bySource(pipeline);
    return replays.stream().map(replay -> facts(replay, books)).toList();
  }

  private static ReplayFacts facts(Replay replay, Map<SourcePartition, SourceTally> books) {
    long passed = 0;
    long dropped = 0;
    Map<String, Long> loaded = new TreeMap<>();
    for (Replays.Part part : replay.parts()) {
      SourceTally tally = books.get(replay.source(part.partition()));
      if (tally != null) {
        passed += tally.counts().taken();
        dropped += tally.counts().dropped();
        tally.counts().loaded().forEach((target, n) -> loaded.merge(target, n, Long::sum));
      }
    }
    return new ReplayFacts(
        replay.number(),
        replay.pipeline(),
        replay.kind().name().toLowerCase(Locale.ROOT),
        DeadFilter.read(replay.chosen()),
        replay.by(),
        replay.begun(),
        replay.ended(),
        replay.letters(),
        passed - dropped,
        dropped,
        loaded);
  }

  /** Which share of the letters of a pipeline's open replays is done; empty if none is open. */
  public OptionalDouble share(String pipeline) {
    Optional<WorkspaceState> state = site.stateIfAny();
    List<Replay> open = Chosen.of(pipeline, state).open();
    if (open.isEmpty()) {
      return OptionalDouble.empty();
    }
    Map<SourcePartition, Long> positions = state.orElseThrow().tally().positions(pipeline);
    double all = 0;
    double done = 0;
    for (Replay replay : open) {
      for (Replays.Part part : replay.parts()) {
        all += part.until() - part.from();
        long at = positions.getOrDefault(replay.source(part.partition()), part.from());
        done += at - part.from();
      }
    }
    return OptionalDouble.of(all == 0 ? 1 : done / all);
  }

  /**
   * What would become of dead letters if they were replayed now, those that are alike together, the
   * most frequent first. Writes nothing.
   *
   * @throws io.wexrun.core.diagnose.MistakesException if the workspace has mistakes
   */
  public List<ReplayForecast> forecast(String pipeline, DeadFilter filter) {
    Shaper shaper = shapers.apply(pipeline);
    Optional<Queue> queue = queues.read("dead/" + pipeline);
    if (queue.isEmpty()) {
      return List.of();
    }
    try (Queue open = queue.get()) {
      Chosen chosen = Chosen.of(pipeline, site.stateIfAny()).in(open);
      return Forecast.of(
          open,
          shaper,
          record ->
              Optional.of(Chosen.kept(pipeline, record))
                  .filter(kept -> filter.wants(kept) && chosen.by(kept).isEmpty()));
    }
  }

  /**
   * Chooses dead letters that run through their pipeline again; {@link #run} does it.
   *
   * @return empty if there is none that fits and was not chosen before
   * @throws io.wexrun.core.diagnose.MistakesException if the workspace has mistakes
   */
  public Optional<ReplayFacts> choose(String pipeline, DeadFilter filter) {
    shapers.apply(pipeline);
    return choose(pipeline, Kind.REPLAY, filter, Map.of(), "");
  }

  /**
   * Chooses dead letters that are given up; {@link #run} does it. They are in the books as dropped
   * then, and stay in the queue of dead letters as long as that keeps them.
   *
   * @param why for the history
   * @return empty if there is none that fits and was not chosen before
   */
  public Optional<ReplayFacts> giveUp(String pipeline, DeadFilter filter, String why) {
    return choose(pipeline, Kind.DROP, filter, Map.of(), why);
  }

  /**
   * Chooses dead letters that run through their pipeline again with other bytes, as somebody has
   * mended them; {@link #run} does it. The letters keep the bytes with which they came.
   *
   * @return empty if there is none that was not chosen before
   * @throws io.wexrun.core.diagnose.MistakesException if the workspace has mistakes
   */
  public Optional<ReplayFacts> mend(String pipeline, Map<KeptLetter.Place, byte[]> mended) {
    shapers.apply(pipeline);
    Map<Replays.At, byte[]> bytes = new HashMap<>();
    mended.forEach(
        (place, raw) -> bytes.put(new Replays.At(place.partition(), place.position()), raw));
    return choose(pipeline, Kind.EDIT, DeadFilter.at(mended.keySet()), bytes, "");
  }

  private Optional<ReplayFacts> choose(
      String pipeline, Kind kind, DeadFilter filter, Map<Replays.At, byte[]> mended, String why) {
    WorkspaceRebuilds.requireNone(pipeline, site.stateIfAny());
    Optional<Queue> queue = queues.read("dead/" + pipeline);
    if (queue.isEmpty()) {
      return Optional.empty();
    }
    Map<Integer, Replays.Part> parts = new TreeMap<>();
    long letters = 0;
    Replay plan;
    try (Queue open = queue.get()) {
      Chosen chosen = Chosen.of(pipeline, site.stateIfAny()).in(open);
      if (filter.equals(DeadFilter.ALL) && chosen.isEmpty()) {
        letters = all(open, parts);
      }
      Reader records = open.readFromOldest();
      List<QueueRecord> next = letters > 0 ? List.of() : records.poll(LETTERS, Duration.ZERO);
      while (!next.isEmpty()) {
        for (QueueRecord record : next) {
          KeptLetter kept = Chosen.kept(pipeline, record);
          if (filter.wants(kept) && chosen.by(kept).isEmpty()) {
            letters++;
            parts.merge(
                record.partition(),
                new Replays.Part(record.partition(), record.position(), record.position() + 1),
                (a, b) -> new Replays.Part(a.partition(), a.from(), b.until()));
          }
        }
        next = records.poll(LETTERS, Duration.ZERO);
      }
      plan =
          new Replay(
              0,
              pipeline,
              kind,
              filter.written(),
              letters,
              open.identity(),
              List.copyOf(parts.values()),
              System.getProperty("user.name", "?"),
              Instant.now(),
              Optional.empty(),
              Optional.empty());
    }
    if (letters == 0) {
      return Optional.empty();
    }
    Replay begun = site.state().replays().begin(plan, mended);
    String what =
        "replay "
            + begun.number()
            + ": "
            + Counted.of(letters, "dead letter")
            + (begun.chosen().isEmpty() ? "" : " (" + filter + ")")
            + (why.isEmpty() ? "" : ": " + why);
    String act =
        switch (kind) {
          case DROP -> "dead drop";
          case EDIT -> "dead edit";
          default -> "replay";
        };
    history.note(act, pipeline, what);
    return Optional.of(facts(begun, Map.of()));
  }

  /** How many letters a queue has, and where. */
  private static long all(Queue queue, Map<Integer, Replays.Part> parts) {
    long letters = 0;
    for (int number = 0; number < queue.partitions(); number++) {
      Partition partition = queue.partition(number);
      long oldest = partition.oldest();
      long records = partition.records(oldest);
      if (records > 0) {
        parts.put(number, new Replays.Part(number, oldest, partition.end()));
        letters += records;
      }
    }
    return letters;
  }

  /**
   * Does what is left of all that was chosen of a pipeline's dead letters, and waits for it: by a
   * run of this workspace, if one goes on in whatever process; else in this one.
   *
   * @param options how, if it is done in this process
   * @param watch is called now and then
   * @throws OutsideException if the world outside failed; what is done stays done, and the rest can
   *     be gone on with
   * @throws InterruptedException if this thread was interrupted
   * @throws io.wexrun.core.diagnose.MistakesException if the workspace has mistakes
   * @throws IllegalArgumentException if there is no pipeline of that name
   */
  public void run(String pipeline, RunOptions options, Consumer<WorkspaceReplays> watch)
      throws InterruptedException {
    shapers.apply(pipeline);
    Pipeline known = scene.definition().pipeline(pipeline).orElseThrow();
    endThoseOfOthers(known);
    new Handing(site.data(), who -> question(known, who), () -> watch.accept(this))
        .toTheEnd(
            () -> !Chosen.of(pipeline, Optional.of(site.state())).open().isEmpty(),
            () -> otherText(pipeline),
            () -> runHere(known, options));
  }

  private static OutsideException otherText(String pipeline) {
    return new OutsideException(
        "the run that goes on has another text of pipeline "
            + pipeline
            + " than its files say now, or was started with other parameters: see what it"
            + " says, or start it again; then go on with 'wexrun replay "
            + pipeline
            + "'");
  }

  private Question question(Pipeline pipeline, String who) {
    String text = Replaying.text(pipeline, scene.compilation().compiling());
    return new Question(Question.Kind.REPLAY, String.join("\n", pipeline.name(), who, text));
  }

  private void runHere(Pipeline pipeline, RunOptions options) throws InterruptedException {
    try (Lanes lanes = Lanes.of(options);
        Replayer replayer =
            new Replayer(
                () -> scene, site.state(), lanes, options, RunListener.NONE, name -> false)) {
      replayer.run(pipeline);
    }
  }

  /** What was chosen from a queue of dead letters that is gone cannot be done any more. */
  private void endThoseOfOthers(Pipeline pipeline) {
    WorkspaceState state = site.state();
    Optional<Queue> queue = queues.read(pipeline.deadLetters());
    Predicate<Replay> ofThis =
        replay -> queue.map(q -> q.identity().equals(replay.queue())).orElse(false);
    try {
      for (Replay replay : Chosen.of(pipeline.name(), Optional.of(state)).open()) {
        if (!ofThis.test(replay)) {
          state.replays().ended(replay.number(), Instant.now());
          history.note(
              "replay",
              pipeline.name(),
              "replay " + replay.number() + " has ended, since its dead letters are gone");
        }
      }
    } finally {
      queue.ifPresent(Queue::close);
    }
  }
}
