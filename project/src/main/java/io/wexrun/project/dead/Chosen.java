package io.wexrun.project.dead;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.DeadLetters;
import io.wexrun.queue.ends.LettersIntake;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.state.Replays;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Which dead letters of a pipeline were chosen by which replay, as the state said it when this was
 * read. A letter is of the first replay that chose it, and of no other. Immutable.
 */
public final class Chosen {
  /** Of a pipeline of which nothing was replayed. */
  private static final Chosen NONE = new Chosen("", List.of(), Map.of());

  private final String pipeline;
  private final List<Replay> replays;
  private final Map<SourcePartition, Long> positions;
  private final Map<Long, DeadFilter> filters = new HashMap<>();

  /** Of replays that only name their letters: the first that names each. */
  private final Map<KeptLetter.Place, Replay> named = new HashMap<>();

  private final List<Replay> others = new ArrayList<>();

  private Chosen(String pipeline, List<Replay> replays, Map<SourcePartition, Long> positions) {
    this.pipeline = pipeline;
    this.replays = replays;
    this.positions = positions;
    for (Replay replay : replays) {
      DeadFilter filter = DeadFilter.read(replay.chosen());
      filters.put(replay.number(), filter);
      if (!filter.places().isEmpty() && filter.equals(DeadFilter.at(filter.places()))) {
        filter.places().forEach(place -> named.putIfAbsent(place, replay));
      } else {
        others.add(replay);
      }
    }
  }

  /** What was chosen of a pipeline's letters. */
  public static Chosen of(String pipeline, Optional<WorkspaceState> state) {
    if (state.isEmpty()) {
      return NONE;
    }
    List<Replay> replays = state.get().replays().all(pipeline);
    return replays.isEmpty()
        ? NONE
        : new Chosen(pipeline, replays, state.get().tally().positions(pipeline));
  }

  /**
   * Only what was chosen from a queue of dead letters: in another one that had its name before,
   * positions mean other letters.
   */
  public Chosen in(Queue queue) {
    return in(queue.identity());
  }

  /** The same, by who the queue is. */
  public Chosen in(Identity queue) {
    List<Replay> some = replays.stream().filter(replay -> replay.queue().equals(queue)).toList();
    return some.size() == replays.size() ? this : new Chosen(pipeline, some, positions);
  }

  /** Whether nothing was chosen. */
  public boolean isEmpty() {
    return replays.isEmpty();
  }

  /** The letter that a record of a queue of dead letters is. */
  public static KeptLetter kept(String pipeline, QueueRecord record) {
    DeadLetter letter = DeadLetters.read(record);
    return new KeptLetter(
        pipeline,
        new KeptLetter.Place(record.partition(), record.position()),
        Instants.instant(letter.life().died()),
        letter);
  }

  /** The replay that a letter is of; empty if nobody chose it. */
  public Optional<Replay> by(KeptLetter letter) {
    Optional<Replay> byName =
        Optional.ofNullable(named.get(letter.place())).filter(replay -> wants(replay, letter));
    for (Replay replay : others) {
      if (byName.isPresent() && byName.get().number() < replay.number()) {
        return byName;
      }
      if (wants(replay, letter)) {
        return Optional.of(replay);
      }
    }
    return byName;
  }

  private boolean wants(Replay replay, KeptLetter letter) {
    KeptLetter.Place at = letter.place();
    return replay.has(at.partition(), at.position()) && filters.get(replay.number()).wants(letter);
  }

  /** Whether a letter is not dead any more: it was replayed, or given up. */
  public boolean isGone(KeptLetter letter) {
    return by(letter).filter(replay -> hasPassed(replay, letter.place())).isPresent();
  }

  private boolean hasPassed(Replay replay, KeptLetter.Place at) {
    return replay.ended().isPresent()
        || positions.getOrDefault(replay.source(at.partition()), 0L) > at.position();
  }

  /** Those that were chosen and have not ended. */
  public List<Replay> open() {
    return replays.stream().filter(replay -> replay.ended().isEmpty()).toList();
  }

  /**
   * Chooses the letters of a replay.
   *
   * @param mended the bytes with which some of them come
   */
  public LettersIntake.Choosing choosing(Replay replay, Map<Replays.At, byte[]> mended) {
    return record -> {
      KeptLetter kept = kept(pipeline, record);
      if (by(kept).filter(by -> by.number() == replay.number()).isEmpty()) {
        return Optional.empty();
      }
      byte[] bytes = mended.get(new Replays.At(record.partition(), record.position()));
      DeadLetter letter = kept.letter();
      return Optional.of(bytes == null ? letter : letter.with(bytes));
    };
  }
}
