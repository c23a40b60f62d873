package io.wexrun.core.tally;

import io.wexrun.core.intake.SourcePartition;
import java.util.Map;

/**
 * A range of a source partition that is done, and what became of it.
 *
 * @param source the source partition
 * @param from the position where the range starts: where the tally ended before
 * @param to the position after the range
 * @param counts what became of its records
 * @param reached for each target that got rows of the range, the position behind the record of the
 *     last one
 */
public record Account(
    SourcePartition source, long from, long to, Counts counts, Map<String, Long> reached) {
  /** Copies the map. */
  public Account {
    reached = Map.copyOf(reached);
  }

  /** A range of which no target got a row. */
  public Account(SourcePartition source, long from, long to, Counts counts) {
    this(source, from, to, counts, Map.of());
  }
}
