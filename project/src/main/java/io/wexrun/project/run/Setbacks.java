package io.wexrun.project.run;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.run.Setback;
import io.wexrun.core.tally.Corrections;
import io.wexrun.core.tally.Corrections.Retake;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.target.Standing;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.state.Hold;
import io.wexrun.state.WorkspaceState;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;

/**
 * Finds targets that do not agree with the tally, and mends that as somebody chooses. For one
 * thread.
 */
public final class Setbacks {
  private final WorkspaceSite site;
  private final Ends ends;

  /** Of a workspace's pipelines. */
  public Setbacks(WorkspaceSite site, Ends ends) {
    this.site = site;
    this.ends = ends;
  }

  /**
   * The targets of a pipeline that do not agree with the tally. Makes and changes nothing.
   *
   * @throws OutsideException if a store is held by another process
   */
  public List<Setback> find(Pipeline pipeline) {
    Optional<WorkspaceState> state = site.stateIfAny();
    if (state.isPresent() && !state.get().corrections().retakes(pipeline.name()).isEmpty()) {
      return List.of(); // It is being mended: the next run takes it again.
    }
    Optional<Setback.Known> known = state.map(s -> Setback.Known.of(pipeline.name(), s.tally()));
    Map<String, Standing> standings = ends.standings(pipeline);
    if (known.isEmpty()) {
      return Setback.forgottenBy(pipeline.name(), standings);
    }
    List<Setback> all = new ArrayList<>(Setback.all(pipeline.name(), known.get(), standings));
    all.addAll(ends.ahead(pipeline));
    return all;
  }

  /** How many rows are lost if that is accepted; empty if the target does not count them. */
  public OptionalLong lost(Setback setback) {
    long sum = 0;
    for (OptionalLong rows : lostBySource(setback).values()) {
      if (rows.isEmpty()) {
        return rows;
      }
      sum += rows.getAsLong();
    }
    return OptionalLong.of(sum);
  }

  private Map<SourcePartition, OptionalLong> lostBySource(Setback setback) {
    Corrections corrections = site.state().corrections();
    Map<SourcePartition, Long> loaded =
        new TreeMap<>(corrections.loaded(setback.pipeline(), setback.target()));
    corrections
        .removed(setback.pipeline(), setback.target())
        .forEach((source, rows) -> loaded.merge(source, -rows, Long::sum));
    Map<SourcePartition, OptionalLong> lost = new TreeMap<>();
    for (Setback.Gap gap : setback.gaps()) {
      long counted = loaded.getOrDefault(gap.source(), 0L);
      lost.put(
          gap.source(),
          gap.rows().isPresent()
              ? OptionalLong.of(Math.max(0, counted - gap.rows().getAsLong()))
              : OptionalLong.empty());
    }
    return lost;
  }

  /** Who has read what targets do not have any more, and would read it again; for people. */
  public List<String> rereading(List<Setback> setbacks) {
    return setbacks.stream().flatMap(s -> ends.readBeyond(s.target()).stream()).toList();
  }

  /** Why the sources cannot give again what is missing; empty if they can, as far as is seen. */
  public Optional<String> whyNotAgain(Pipeline pipeline, List<Setback> setbacks) {
    Optional<String> forgotten = forgottenQueue(pipeline, setbacks);
    if (forgotten.isPresent()) {
      return forgotten;
    }
    if (has(setbacks, Setback.Kind.REPLAYED)) {
      return Optional.of(
          "nothing is missing: rows are there that the tally does not know. Put a newer copy of the"
              + " state back; or accept them");
    }
    if (has(setbacks, Setback.Kind.AHEAD)) {
      return Optional.of(
          "nothing is missing: rows are there that the queue does not have. Put a copy of the store"
              + " back that is as old as the queue, or a newer one of the queue; or accept them");
    }
    try (Intake intake = ends.intake(pipeline, notice -> {}, false, () -> true)) {
      Set<SourcePartition> there = new HashSet<>();
      intake.look().stream().map(Source::partition).forEach(there::add);
      for (Map.Entry<SourcePartition, Retake> part : parts(pipeline, setbacks).entrySet()) {
        if (ReplaySource.is(part.getKey())) {
          continue; // Dead letters stay where they are.
        }
        if (!there.contains(part.getKey())) {
          return Optional.of(part.getKey() + " is not there any more");
        }
        intake.assign(part.getKey(), Math.max(0, part.getValue().position()));
      }
      return Optional.empty();
    } catch (OutsideException e) {
      return Optional.of(e.getMessage());
    }
  }

  private static boolean has(List<Setback> setbacks, Setback.Kind kind) {
    return setbacks.stream().anyMatch(setback -> setback.kind() == kind);
  }

  private Optional<String> forgottenQueue(Pipeline pipeline, List<Setback> setbacks) {
    return has(setbacks, Setback.Kind.FORGOTTEN) && ends.reads(pipeline.intake()).isPresent()
        ? Optional.of(
            "the queue that it reads was removed with the state, so positions in it mean something"
                + " else now. Give the pipeline another name, then it begins anew beside the rows"
                + " that are there; or drop the table first")
        : Optional.empty();
  }

  private static Map<SourcePartition, Long> has(Setback setback) {
    Map<SourcePartition, Long> has = new TreeMap<>();
    setback.gaps().forEach(gap -> has.put(gap.source(), gap.has()));
    return has;
  }

  /** From the earliest position that some target has, to the tally's. */
  private Map<SourcePartition, Retake> parts(Pipeline pipeline, List<Setback> setbacks) {
    Map<SourcePartition, Long> positions = site.positions(pipeline.name());
    Map<SourcePartition, Long> starts = new HashMap<>();
    for (Setback setback : setbacks) {
      for (Setback.Gap gap : setback.gaps()) {
        starts.merge(gap.source(), Math.max(0, gap.has()), Math::min);
      }
    }
    Map<SourcePartition, Retake> parts = new TreeMap<>();
    starts.forEach(
        (source, start) -> {
          if (positions.containsKey(source)) {
            parts.put(source, new Retake(start, positions.get(source)));
          }
        });
    return parts;
  }

  /** What was shown to who chose is done, and nothing else. */
  private List<Setback> asShown(Pipeline pipeline, List<Setback> shown) {
    List<Setback> now = find(pipeline);
    if (!now.equals(shown)) {
      throw new OutsideException(
          pipeline.name() + ": something has changed since it was looked: look again");
    }
    return now;
  }

  /**
   * The next run takes again what is missing, before it goes on, into the targets that lack it.
   *
   * @param shown what was found before, when somebody chose
   * @throws OutsideException if the pipeline runs, if the sources do not have it, or if something
   *     else is found now
   */
  public void takeAgain(Pipeline pipeline, List<Setback> shown) {
    try (Hold held = site.state().hold(pipeline.name())) {
      List<Setback> setbacks = asShown(pipeline, shown);
      Optional<String> why = whyNotAgain(pipeline, setbacks);
      if (why.isPresent()) {
        throw OutsideException.lasting(
            pipeline.name() + " cannot take again what is missing: " + why.get());
      }
      Map<String, Map<SourcePartition, Long>> targets = new TreeMap<>();
      setbacks.forEach(setback -> targets.put(setback.target(), has(setback)));
      site.state().corrections().retake(pipeline.name(), parts(pipeline, setbacks), targets);
      identify(pipeline, setbacks);
    }
  }

  /** From now on the tally knows those that it did not know. */
  private void identify(Pipeline pipeline, List<Setback> setbacks) {
    for (Setback setback : setbacks) {
      if (setback.kind() == Setback.Kind.FORGOTTEN) {
        site.state()
            .tally()
            .identifyTargets(pipeline.name(), Map.of(setback.target(), Optional.empty()));
      }
    }
  }

  /** What was to be taken again and was not is lost, as far as its targets count their rows. */
  private void giveUp(Pipeline pipeline) {
    Corrections corrections = site.state().corrections();
    if (corrections.retakes(pipeline.name()).isEmpty()) {
      return;
    }
    corrections.giveUpRetakes(pipeline.name());
    settle(site.state(), ends, pipeline);
  }

  /**
   * What is missing stays so, and the books count it as lost. What was to be taken again and could
   * not be is given up.
   *
   * @param shown what was found before, when somebody chose
   * @throws OutsideException if the pipeline runs, if going on would take rows of one queue for
   *     those of another, or if something else is found now
   */
  public void accept(Pipeline pipeline, List<Setback> shown) {
    try (Hold held = site.state().hold(pipeline.name())) {
      forgottenQueue(pipeline, asShown(pipeline, shown))
          .ifPresent(
              why -> {
                throw OutsideException.lasting(pipeline.name() + " cannot go on: " + why);
              });
      giveUp(pipeline);
      for (Setback setback : find(pipeline)) {
        if (setback.kind() == Setback.Kind.AHEAD) {
          ends.acceptAhead(pipeline);
          continue;
        }
        if (setback.kind() == Setback.Kind.REPLAYED) {
          site.state()
              .corrections()
              .knowReplays(
                  setback.gaps().stream()
                      .map(gap -> ReplaySource.replay(gap.source()))
                      .collect(Collectors.toSet()));
          continue;
        }
        Map<SourcePartition, Long> rows = new TreeMap<>();
        lostBySource(setback).forEach((source, n) -> rows.put(source, n.orElse(0)));
        if (setback.kind() != Setback.Kind.FORGOTTEN) {
          site.state().corrections().lose(pipeline.name(), setback.target(), rows, has(setback));
        }
        identify(pipeline, List.of(setback));
      }
      settle(site.state(), ends, pipeline);
    }
  }

  /**
   * Counts as loaded what tables have, and as lost what they have not; what came back from a backup
   * or was taken again may be more than was counted.
   */
  static void settle(WorkspaceState state, Ends ends, Pipeline pipeline) {
    Map<SourcePartition, Long> positions = state.tally().positions(pipeline.name());
    ends.standings(pipeline)
        .forEach(
            (target, standing) -> {
              boolean ahead =
                  standing.progress().entrySet().stream()
                      .anyMatch(e -> e.getValue() > positions.getOrDefault(e.getKey(), 0L));
              if (!target.equals(Route.DEAD) && !ahead) {
                state
                    .corrections()
                    .settle(pipeline.name(), target, standing.progress(), standing.rows());
              }
            });
  }
}
