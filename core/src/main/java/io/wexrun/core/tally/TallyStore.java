package io.wexrun.core.tally;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.SourcePartition;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;

/**
 * Keeps the tally: what became of every record, and so where each source partition goes on. The
 * counts and the position of a range are one write, so that they cannot disagree. For several
 * threads, and for several processes where the state is on a server.
 *
 * <p>Failures throw {@link io.wexrun.core.diagnose.OutsideException}; then nothing was written.
 */
public interface TallyStore {
  /** The source partitions that a pipeline has taken from, by name. */
  List<KnownSource> sources(String pipeline);

  /** Where each source partition of a pipeline goes on. Those never taken from are not there. */
  default Map<SourcePartition, Long> positions(String pipeline) {
    Map<SourcePartition, Long> positions = new TreeMap<>();
    sources(pipeline).forEach(source -> positions.put(source.partition(), source.position()));
    return positions;
  }

  /**
   * Notes who source partitions are, beside their positions, taken from before or not. What was
   * noted before of the same ones is forgotten.
   */
  void identify(String pipeline, Map<SourcePartition, Identity> identities);

  /**
   * The source partitions of which it was noted who they are, but of which nothing is accounted for
   * yet, at position 0. A target may have rows of them already, under their names, if a run died
   * between its commit and the account.
   */
  List<KnownSource> begun(String pipeline);

  /**
   * All replays that were ever chosen, of any pipeline, as {@link ReplaySource#replay} names them;
   * empty if that is not told here.
   */
  default Optional<Set<String>> replays() {
    return Optional.empty();
  }

  /** What is known of the targets of a pipeline; those never opened are not there. */
  List<KnownTarget> targets(String pipeline);

  /**
   * Notes who targets are, before anything is committed to them. What was noted before of the same
   * ones is forgotten, but not how far they have come.
   */
  void identifyTargets(String pipeline, Map<String, Optional<Identity>> identities);

  /**
   * Writes ranges in one transaction: all of them or none. They need not survive the loss of power
   * at once: if the last ones are lost, they are written again.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be written; and one that is
   *     {@linkplain io.wexrun.core.diagnose.OutsideException#lasting lasting} if a range does not
   *     start where the tally of its source partition ends, which means that another run has gone
   *     on with it. A source partition that was never accounted for may start anywhere
   */
  void account(String pipeline, List<Account> accounts);

  /**
   * The books of each source partition of a pipeline, replays among them, by name. What was taken
   * by a replay are the letters that did not die again.
   */
  Map<SourcePartition, SourceTally> bySource(String pipeline);

  /**
   * What was accounted for over time, by hours or days in which there was something, in order; by
   * the clock of this machine.
   */
  List<TimeTally> over(String pipeline, TimeTally.Unit unit);

  /**
   * By when a position of a source partition was accounted for, to the minute for two days, and to
   * the hour for {@linkplain TimeTally.Unit#HOUR as long as hours are kept}.
   *
   * @return the end of the minute or hour; empty if it is not accounted for, or that is not known
   *     any more
   */
  default Optional<Instant> accountedBy(String pipeline, SourcePartition source, long position) {
    return Optional.empty();
  }

  /** The books of a pipeline; all zero if it never ran. Nothing is held as far as a store knows. */
  Tally tally(String pipeline);
}
