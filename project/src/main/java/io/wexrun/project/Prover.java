package io.wexrun.project;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Assigner;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.BoundedIntake;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.run.Setback;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.Proof;
import io.wexrun.project.facts.Proof.Kind;
import io.wexrun.queue.Queue;
import io.wexrun.state.History;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;

/**
 * Counts again what the books say, from the real things: the records of sources, framed again; the
 * rows of tables; the dead letters. Changes nothing. For one thread.
 */
final class Prover {
  private static final Duration PATIENCE = Duration.ofMillis(100);
  private static final int TRIES = 50;

  private final Workspace workspace;
  private final Scene scene;
  private final WorkspaceState state;
  private final TargetProver targets;

  Prover(Workspace workspace, Scene scene, WorkspaceState state) {
    this.workspace = workspace;
    this.scene = scene;
    this.state = state;
    this.targets = new TargetProver(workspace, scene, state);
  }

  /** All lines of the books of some pipelines. */
  List<Proof> prove(List<String> names) {
    List<Proof> lines = new ArrayList<>();
    for (String name : names) {
      Map<SourcePartition, SourceTally> books = new TreeMap<>(state.tally().bySource(name));
      books.keySet().removeIf(ReplaySource::is);
      scene
          .definition()
          .pipeline(name)
          .ifPresentOrElse(
              pipeline -> lines.addAll(sources(pipeline, books)),
              () ->
                  books.forEach(
                      (source, tally) ->
                          lines.add(open(source, name, tally, "the pipeline is not defined"))));
      lines.addAll(letters(name));
    }
    List<Setback> setbacks = workspace.setbacks();
    lines.addAll(
        targets.prove(names, setbacks.stream().map(Setback::target).collect(Collectors.toSet())));
    for (Setback setback : setbacks) {
      if (names.contains(setback.pipeline())) {
        lines.add(
            new Proof(
                setback.target(),
                Kind.TARGET,
                setback.pipeline(),
                0,
                OptionalLong.empty(),
                Proof.Verdict.DIFFERS,
                setback + "; 'wexrun reconcile " + setback.pipeline() + "' says what can be done"));
      }
    }
    return lines;
  }

  /** Whether somebody deleted a queue by the command, which asks whether it was read. */
  private boolean wasDeleted(String queue) {
    return state.history().latest(History.MOST).stream()
        .anyMatch(act -> act.what().equals(WorkspaceQueues.DELETE) && act.subject().equals(queue));
  }

  private static Proof open(SourcePartition source, String name, SourceTally tally, String why) {
    return Proof.open(
        source.name(), Kind.SOURCE, name, tally.counts().taken(), OptionalLong.empty(), why);
  }

  private boolean isThere(String name) {
    try {
      Optional<Queue> queue = workspace.queues().read(name);
      queue.ifPresent(Queue::close);
      return queue.isPresent();
    } catch (OutsideException e) {
      return true; // It is damaged, which is told when it is read.
    }
  }

  private static Proof unreadable(
      SourcePartition source, String name, SourceTally tally, String why) {
    return Proof.unknown(source.name(), Kind.SOURCE, name, tally.counts().taken(), why);
  }

  private List<Proof> sources(Pipeline pipeline, Map<SourcePartition, SourceTally> books) {
    String name = pipeline.name();
    Map<SourcePartition, Long> bounds = new TreeMap<>();
    books.forEach((source, tally) -> bounds.put(source, tally.position()));
    List<Proof> lines = new ArrayList<>();
    if (bounds.isEmpty()) {
      return lines;
    }
    Optional<String> queue = scene.ends().reads(pipeline.intake());
    if (queue.isPresent() && !isThere(queue.get())) {
      String why = "queue " + queue.get() + " is not there any more";
      boolean deleted = wasDeleted(queue.get());
      books.forEach(
          (source, tally) ->
              lines.add(
                  deleted
                      ? open(source, name, tally, why + ": it was deleted")
                      : new Proof(
                          source.name(),
                          Kind.SOURCE,
                          name,
                          tally.counts().taken(),
                          OptionalLong.empty(),
                          Proof.Verdict.DIFFERS,
                          why)));
      return lines;
    }
    Map<SourcePartition, Long> found = new HashMap<>();
    Map<SourcePartition, String> gone = new HashMap<>();
    List<String> notices = Collections.synchronizedList(new ArrayList<>());
    try (Intake intake =
        new BoundedIntake(scene.ends().intake(pipeline, notices::add, false, () -> true), bounds)) {
      Assigner assigner =
          new Assigner(
              intake,
              source -> {
                found.put(source.partition(), 0L);
                return begin(pipeline, source, books.get(source.partition()), gone);
              });
      count(intake, assigner, found);
    } catch (OutsideException e) {
      books.forEach((source, tally) -> lines.add(unreadable(source, name, tally, e.getMessage())));
      return lines;
    }
    books.forEach(
        (source, tally) -> {
          if (gone.containsKey(source)) {
            lines.add(open(source, name, tally, gone.get(source)));
          } else if (found.getOrDefault(source, 0L) < tally.counts().taken()
              && damage(source, notices).isPresent()) {
            lines.add(unreadable(source, name, tally, damage(source, notices).get()));
          } else if (found.getOrDefault(source, 0L) == 0 && tally.counts().taken() > 0) {
            lines.add(
                open(
                    source,
                    name,
                    tally,
                    "it is not where it was any more, or another one has its name"));
          } else {
            lines.add(
                Proof.of(
                    source.name(),
                    Kind.SOURCE,
                    name,
                    tally.counts().taken(),
                    found.getOrDefault(source, 0L),
                    "the source was changed where it had been read, or the books were touched"));
          }
        });
    return lines;
  }

  /** What the intake says of a source that it could not read to its end. */
  private static Optional<String> damage(SourcePartition source, List<String> notices) {
    return notices.stream()
        .filter(notice -> notice.startsWith(source.name() + " cannot "))
        .findFirst();
  }

  /** Where a source is counted from: where it was taken from first, if it still has that. */
  private long begin(
      Pipeline pipeline, Source source, SourceTally tally, Map<SourcePartition, String> gone) {
    long began = tally.began().orElse(source.start());
    boolean queue = scene.ends().reads(pipeline.intake()).isPresent();
    if (queue && source.start() > began && keeps(pipeline)) {
      gone.put(
          source.partition(),
          "its queue keeps only what stands from position " + source.start() + " on");
    }
    return queue ? Math.max(began, source.start()) : began;
  }

  /** Whether the queue that a pipeline reads gives up what is old. */
  private boolean keeps(Pipeline pipeline) {
    return scene
        .ends()
        .reads(pipeline.intake())
        .map(queue -> scene.definition().targets().get(queue))
        .map(settings -> settings.values().containsKey("keep"))
        .orElse(true);
  }

  private static void count(Intake intake, Assigner assigner, Map<SourcePartition, Long> found) {
    int tries = 0;
    while (tries < TRIES) {
      Optional<Block> block = assigner.next(PATIENCE);
      if (block.isEmpty() && intake.drained()) {
        return;
      }
      tries = block.isPresent() ? 0 : tries + 1;
      block.ifPresent(some -> found.merge(some.source(), (long) some.records().count(), Long::sum));
    }
  }

  private List<Proof> letters(String name) {
    Map<Reason, Long> books = state.tally().tally(name).counts().dead();
    Map<Reason, Long> found = new EnumMap<>(Reason.class);
    workspace
        .dead()
        .read(
            name,
            DeadFilter.ALL,
            letter -> {
              found.merge(letter.letter().reason(), 1L, Long::sum);
              return true;
            });
    Map<String, Long> removed = state.corrections().removedLetters(name);
    Set<Reason> reasons = new TreeSet<>(books.keySet());
    reasons.addAll(found.keySet());
    List<Proof> lines = new ArrayList<>();
    for (Reason reason : reasons) {
      long has = found.getOrDefault(reason, 0L);
      long said = books.getOrDefault(reason, 0L) - removed.getOrDefault(reason.code(), 0L);
      String subject = "dead letters, " + reason.code();
      Optional<String> ahead = has > said ? targets.ahead(name, Route.DEAD) : Optional.empty();
      lines.add(
          ahead
              .map(why -> Proof.open(subject, Kind.LETTERS, name, said, OptionalLong.of(has), why))
              .orElseGet(
                  () ->
                      Proof.of(
                          subject,
                          Kind.LETTERS,
                          name,
                          said,
                          has,
                          has < said
                              ? "letters are missing in queue dead/" + name
                              : "the queue has more than the books: they were put back from an"
                                  + " earlier time")));
    }
    return lines;
  }
}
