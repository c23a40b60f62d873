package io.wexrun.core.tally;

import io.wexrun.core.intake.SourcePartition;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Set;

/**
 * A range of a source partition that is done, and what became of it.
 *
 * @param source the source partition
 * @param from the position where the range starts: where the tally ended before
 * @param to the position after the range
 * @param counts what became of its records
 * @param reached for each target that got rows of the range, the position behind the record of the
 *     last one
 * @param revivals if they are dead letters that were replayed: what became of them, by the source
 *     partitions that they came from first, each once
 * @param newest when the latest event of a row in it happened, in microseconds since
 *     1970-01-01T00:00:00Z; empty if its rows tell no time
 */
public record Account(
    SourcePartition source,
    long from,
    long to,
    Counts counts,
    Map<String, Long> reached,
    List<Revival> revivals,
    OptionalLong newest) {
  /** Copies the collections; sums up revivals of one source. */
  public Account {
    reached = Map.copyOf(reached);
    revivals = List.copyOf(Revival.sum(revivals).values());
  }

  /** The same, as far as it is about some targets. */
  public Account reachedBy(Set<String> targets) {
    Map<String, Long> some = new HashMap<>(reached);
    some.keySet().retainAll(targets);
    return new Account(source, from, to, counts, some, revivals, newest);
  }

  /** A range of a source that is no replay. */
  public Account(
      SourcePartition source, long from, long to, Counts counts, Map<String, Long> reached) {
    this(source, from, to, counts, reached, List.of(), OptionalLong.empty());
  }

  /** A range of which no target got a row. */
  public Account(SourcePartition source, long from, long to, Counts counts) {
    this(source, from, to, counts, Map.of());
  }
}
