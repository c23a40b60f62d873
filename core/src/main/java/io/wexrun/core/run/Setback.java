package io.wexrun.core.run;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.KnownTarget;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Target;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;

/**
 * A target and the tally do not agree, because somebody has touched one of them: rows that the
 * tally counts as loaded are not there any more, or rows are there of which it knows nothing. To go
 * on would lose records or double them.
 *
 * @param pipeline whose rows they are
 * @param target the target's name
 * @param kind what has happened, as far as that can be seen
 * @param gaps the source partitions that do not agree, in order
 */
public record Setback(String pipeline, String target, Kind kind, List<Gap> gaps) {
  /** What has happened. */
  public enum Kind {
    /** The target is not there, though rows were committed to it. */
    MISSING("is not there any more: it was dropped, removed or renamed"),
    /** Another one has its name: it was dropped or removed, and made anew. */
    ANOTHER("is another one than before: it was dropped or removed, and made anew"),
    /** It is the same one, but has less than before: it was put back from a backup. */
    BEHIND("has less than before: it was put back from an earlier time"),
    /** It has rows, but the tally knows nothing of the pipeline: the state was removed. */
    FORGOTTEN(
        "has rows of a pipeline of this name, but the tally knows nothing of them: the state was"
            + " removed, or the pipeline is of another workspace"),
    /** It has rows of a replay that the tally does not know. */
    REPLAYED(
        "has rows of a replay of which the tally knows nothing: the state was put back from an"
            + " earlier time"),
    /** It has more than the queue from which its rows come. */
    AHEAD(
        "has rows from positions that the queue does not have: queue and state were put back from"
            + " an earlier time");

    private final String words;

    Kind(String words) {
      this.words = words;
    }

    /** Whether the target has less than the tally counts; otherwise it has more. */
    public boolean lacksRows() {
      return this == MISSING || this == ANOTHER || this == BEHIND;
    }
  }

  /**
   * What does not agree of one source partition.
   *
   * @param has the position up to which the target has rows; -1 if it has none
   * @param had the position up to which the tally counts them, or the queue has them; -1 if none
   * @param rows how many rows the target has, if it counts them
   */
  public record Gap(SourcePartition source, long has, long had, OptionalLong rows) {}

  /** Copies the list. */
  public Setback {
    gaps = List.copyOf(gaps);
  }

  /** Compares what the tally knows of a target with how it stands; empty if they agree. */
  public static Optional<Setback> of(String pipeline, KnownTarget known, Standing now) {
    List<Gap> gaps = new ArrayList<>();
    new TreeMap<>(known.reached())
        .forEach(
            (source, had) -> {
              long has = now.progress().getOrDefault(source, -1L);
              if (has < had) {
                gaps.add(new Gap(source, has, had, rows(now, source, has)));
              }
            });
    if (gaps.isEmpty()) {
      return Optional.empty();
    }
    boolean same = known.identity().equals(now.identity());
    Kind kind = same ? Kind.BEHIND : now.identity().isEmpty() ? Kind.MISSING : Kind.ANOTHER;
    return Optional.of(new Setback(pipeline, known.name(), kind, gaps));
  }

  private static OptionalLong rows(Standing now, SourcePartition source, long has) {
    Long rows = now.rows().get(source);
    return has < 0
        ? OptionalLong.of(0)
        : rows == null ? OptionalLong.empty() : OptionalLong.of(rows);
  }

  /** A target that has rows of a pipeline which the tally does not know. */
  public static Optional<Setback> forgotten(String pipeline, String target, Standing now) {
    List<Gap> gaps = new ArrayList<>();
    new TreeMap<>(now.progress())
        .forEach((source, has) -> gaps.add(new Gap(source, has, -1, rows(now, source, has))));
    return gaps.isEmpty()
        ? Optional.empty()
        : Optional.of(new Setback(pipeline, target, Kind.FORGOTTEN, gaps));
  }

  /** All targets that have rows of a pipeline which no tally knows. */
  public static List<Setback> forgottenBy(String pipeline, Map<String, Standing> standings) {
    List<Setback> setbacks = new ArrayList<>();
    new TreeMap<>(standings)
        .forEach((name, standing) -> forgotten(pipeline, name, standing).ifPresent(setbacks::add));
    return setbacks;
  }

  /**
   * What the tally knows of the targets of a pipeline: to be read before it is looked how they
   * stand, since somebody may go on with them meanwhile.
   *
   * @param never whether the tally knows nothing of the pipeline at all
   * @param replays those that it knows; empty if it does not tell
   */
  public record Known(List<KnownTarget> targets, boolean never, Optional<Set<String>> replays) {
    /** What a tally knows now. */
    public static Known of(String pipeline, TallyStore tally) {
      List<KnownTarget> targets = tally.targets(pipeline);
      return new Known(
          targets, targets.isEmpty() && tally.sources(pipeline).isEmpty(), tally.replays());
    }

    /** What a target has of replays that the tally does not know. */
    private Optional<Setback> replayed(String pipeline, String target, Standing now) {
      List<Gap> gaps = new ArrayList<>();
      new TreeMap<>(now.progress())
          .forEach(
              (source, has) -> {
                if (ReplaySource.is(source)
                    && replays.isPresent()
                    && !replays.get().contains(ReplaySource.replay(source))) {
                  gaps.add(new Gap(source, has, -1, rows(now, source, has)));
                }
              });
      return gaps.isEmpty()
          ? Optional.empty()
          : Optional.of(new Setback(pipeline, target, Kind.REPLAYED, gaps));
    }
  }

  /** Compares all targets of a pipeline with the tally. */
  public static List<Setback> all(String pipeline, Known tally, Map<String, Standing> standings) {
    Map<String, KnownTarget> known = new HashMap<>();
    tally.targets().forEach(target -> known.put(target.name(), target));
    List<Setback> setbacks = new ArrayList<>();
    new TreeMap<>(standings)
        .forEach(
            (name, standing) -> {
              KnownTarget target = known.get(name);
              if (target != null) {
                of(pipeline, target, standing).ifPresent(setbacks::add);
              } else if (tally.never()) {
                forgotten(pipeline, name, standing).ifPresent(setbacks::add);
              }
              if (!tally.never()) {
                tally.replayed(pipeline, name, standing).ifPresent(setbacks::add);
              }
            });
    return setbacks;
  }

  /**
   * Fails if a target that was opened does not agree with the tally; notes who they are, if all do.
   */
  static void requireNone(
      String pipeline, Known known, TallyStore tally, Map<String, Target> open) {
    Map<String, Standing> standings = new TreeMap<>();
    open.forEach((name, target) -> standings.put(name, target.standing()));
    List<Setback> setbacks = all(pipeline, known, standings);
    if (!setbacks.isEmpty()) {
      throw failure(setbacks);
    }
    Map<String, Optional<Identity>> identities = new TreeMap<>();
    standings.forEach((name, standing) -> identities.put(name, standing.identity()));
    tally.identifyTargets(pipeline, identities);
  }

  /** A lasting failure that tells setbacks of one pipeline. */
  public static OutsideException failure(List<Setback> setbacks) {
    return OutsideException.lasting(
        setbacks.stream().map(Setback::toString).collect(Collectors.joining("; "))
            + ". Going on would lose records or load them twice: 'wexrun reconcile "
            + setbacks.get(0).pipeline()
            + "' says what can be done");
  }

  @Override
  public String toString() {
    Gap first = gaps.get(0);
    String more = gaps.size() == 1 ? "" : ", and " + Counted.of(gaps.size() - 1L, "more source");
    String where =
        kind == Kind.FORGOTTEN || kind == Kind.REPLAYED
            ? "of " + first.source() + " up to position " + first.has()
            : "of "
                + first.source()
                + " it has "
                + (first.has() < 0 ? "nothing" : "rows up to position " + first.has())
                + (kind == Kind.AHEAD ? ", the queue ends at " : ", the tally up to ")
                + first.had();
    return "target "
        + target
        + " of pipeline "
        + pipeline
        + " "
        + kind.words
        + " ("
        + where
        + more
        + ")";
  }
}
