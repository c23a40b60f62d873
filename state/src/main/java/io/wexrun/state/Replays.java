package io.wexrun.state;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.ReplaySource;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Which dead letters somebody has chosen to replay or to give up. Once chosen, they are no choice
 * of another replay. How far a replay has come is in the tally, where its source partitions are
 * {@link io.wexrun.core.tally.ReplaySource}s. For several threads. Failures throw {@link
 * io.wexrun.core.diagnose.OutsideException}.
 */
public interface Replays {
  /** What becomes of the letters. */
  enum Kind {
    /** They run through their pipeline again. */
    REPLAY,
    /** They run through it with bytes that somebody has mended. */
    EDIT,
    /** They are dropped. */
    DROP
  }

  /**
   * A part of a partition of dead letters; the chosen ones are in it.
   *
   * @param partition of the queue, from 0
   * @param from the position where it begins
   * @param until the position after it
   */
  record Part(int partition, long from, long until) {}

  /**
   * What somebody chose.
   *
   * @param number from 1, in the order in which they were chosen, over all pipelines
   * @param chosen which letters of the parts, as whoever chose them writes it
   * @param letters how many that were
   * @param queue who the queue of dead letters was
   * @param parts where they are, by partition
   * @param by the name of the user
   * @param version of the pipeline's text with which it was gone on with last; empty if it has not
   *     begun, or needs none
   * @param ended when all of it was done; empty if it is not
   */
  record Replay(
      long number,
      String pipeline,
      Kind kind,
      String chosen,
      long letters,
      Identity queue,
      List<Part> parts,
      String by,
      Instant begun,
      Optional<String> version,
      Optional<Instant> ended) {
    /** A partition of the dead letters, as it is taken by this replay. */
    public SourcePartition source(int partition) {
      return ReplaySource.of(number, begun, partition);
    }

    /** Whether a position among the dead letters is in one of its parts. */
    public boolean has(int partition, long position) {
      return parts.stream()
          .anyMatch(
              part ->
                  part.partition() == partition
                      && part.from() <= position
                      && position < part.until());
    }
  }

  /** A position among the dead letters. */
  record At(int partition, long position) {}

  /**
   * Notes a choice.
   *
   * @param plan the choice, whose number is given here
   * @param mended the bytes of letters that somebody has mended
   */
  Replay begin(Replay plan, Map<At, byte[]> mended);

  /** All choices of a pipeline, in order. */
  List<Replay> all(String pipeline);

  /** The bytes of letters that somebody has mended for a replay. */
  Map<At, byte[]> mended(long number);

  /** Notes with which version of the pipeline's text a replay goes on. */
  void goesOn(long number, String version);

  /** Notes that a replay has ended. */
  void ended(long number, Instant at);
}
