package io.wexrun.project.dead;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.queue.Queue;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.state.Rebuilds.Origin;
import io.wexrun.state.Replays;
import io.wexrun.state.Replays.Kind;
import io.wexrun.state.Replays.Replay;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;

/**
 * What people did with the dead letters of one queue, by the records that had died: so that it can
 * be done again with letters of the same records in another queue.
 */
public final class HandledLetters {
  private static final int LETTERS = 10_000;

  private HandledLetters() {}

  /**
   * What was done with the letters of a queue at last: the bytes with which a record ran again;
   * empty if it was given up.
   */
  public static Map<Origin, Optional<byte[]>> of(
      String pipeline, Queue queue, WorkspaceState state) {
    Chosen chosen = Chosen.of(pipeline, Optional.of(state)).in(queue);
    Map<Long, Map<Replays.At, byte[]>> mended = new HashMap<>();
    Map<Origin, Long> latest = new HashMap<>();
    Map<Origin, Optional<byte[]>> handled = new HashMap<>();
    each(
        pipeline,
        queue,
        letter -> {
          Optional<Replay> by = chosen.by(letter);
          if (by.isEmpty() || by.get().kind() == Kind.REPLAY) {
            return;
          }
          Origin origin = origin(letter);
          long number = by.get().number();
          if (latest.getOrDefault(origin, 0L) > number) {
            return;
          }
          latest.put(origin, number);
          KeptLetter.Place at = letter.place();
          handled.put(
              origin,
              by.get().kind() == Kind.DROP
                  ? Optional.empty()
                  : Optional.of(
                      mended
                          .computeIfAbsent(number, n -> state.replays().mended(n))
                          .get(new Replays.At(at.partition(), at.position()))));
        });
    return handled;
  }

  private static Origin origin(KeptLetter letter) {
    DeadLetter.Original record = letter.letter().record();
    return new Origin(new SourcePartition(record.source()), record.position());
  }

  /**
   * Finds letters of the same records that nobody has chosen yet.
   *
   * @param again takes places of letters with the bytes with which they are to run again
   * @param giveUp takes places of letters that are to be given up
   */
  public static void find(
      Map<Origin, Optional<byte[]>> handled,
      String pipeline,
      Queue queue,
      WorkspaceState state,
      Map<KeptLetter.Place, byte[]> again,
      Set<KeptLetter.Place> giveUp) {
    Chosen chosen = Chosen.of(pipeline, Optional.of(state)).in(queue);
    each(
        pipeline,
        queue,
        letter -> {
          Optional<byte[]> what = handled.get(origin(letter));
          if (what == null || chosen.by(letter).isPresent()) {
            return;
          }
          if (what.isPresent()) {
            again.put(letter.place(), what.get());
          } else {
            giveUp.add(letter.place());
          }
        });
  }

  private static void each(String pipeline, Queue queue, Consumer<KeptLetter> letter) {
    Reader records = queue.readFromOldest();
    List<QueueRecord> some = records.poll(LETTERS, Duration.ZERO);
    while (!some.isEmpty()) {
      some.forEach(record -> letter.accept(Chosen.kept(pipeline, record)));
      some = records.poll(LETTERS, Duration.ZERO);
    }
  }
}
