package io.wexrun.core.run;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Revival;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.TreeMap;

/** A block whose rows are on their way: it is done when no target holds it any more. */
final class Range {
  final SourcePartition source;
  final long from;
  final long to;
  final long taken;
  final OptionalLong newest;
  private final Optional<Revival> left;
  private Counts counts;
  private final Map<String, Long> reached = new TreeMap<>();
  private int waiting;

  /**
   * A range.
   *
   * @param taken when, in microseconds since 1970
   * @param left dead letters that are replayed, as numbers below 0
   * @param newest when the latest event in it happened, in microseconds since 1970
   */
  Range(
      SourcePartition source,
      long from,
      long to,
      long taken,
      Counts counts,
      Optional<Revival> left,
      OptionalLong newest) {
    this.source = source;
    this.from = from;
    this.to = to;
    this.taken = taken;
    this.counts = counts;
    this.left = left;
    this.newest = newest;
  }

  Counts counts() {
    return counts;
  }

  /** If they are dead letters that are replayed: what becomes of them. */
  Optional<Revival> revival() {
    return left.map(before -> before.diedAgain(counts.dead()));
  }

  /** For each target that gets rows of it, the position behind the record of the last one. */
  Map<String, Long> reached() {
    return reached;
  }

  void waitFor(String target, Rows rows) {
    reached.put(target, rows.batch().position(rows.row(rows.count() - 1)) + 1);
    waiting++;
  }

  void committed() {
    waiting--;
  }

  boolean done() {
    return waiting == 0;
  }

  /** Rows that were to be loaded into a target died, because its store refused them. */
  void refused(String target, long rows) {
    Map<String, Long> loaded = new TreeMap<>(counts.loaded());
    loaded.merge(target, -rows, Long::sum);
    loaded.values().removeIf(count -> count == 0);
    Map<Reason, Long> dead = new TreeMap<>(counts.dead());
    dead.merge(Reason.REFUSED, rows, Long::sum);
    counts =
        new Counts(
            counts.taken(),
            counts.unfolded(),
            counts.copied(),
            loaded,
            dead,
            counts.dropped(),
            counts.ignored());
  }
}
