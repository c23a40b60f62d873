package io.wexrun.core.shape;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Block;
import io.wexrun.core.tally.Revival;
import java.util.Map;
import java.util.Optional;

/**
 * What became of a block. The books of a block balance: {@code taken + unfolded + copied} is the
 * sum of the targets' rows, the dead and the dropped.
 *
 * @param block the block
 * @param taken how many records it had
 * @param unfolded how many rows more than records the steps made
 * @param copied how many copies more than one the route made
 * @param dropped how many the route dropped
 * @param rows the rows for each target; none is empty
 * @param dead the dead letters with {@link io.wexrun.core.dead.DeadLetter#SCHEMA}; may be empty
 * @param reasons how many died for each reason
 * @param left if they are dead letters that are replayed: how many there were for each reason, as
 *     numbers below 0
 * @param ignored values of fields that tables have no columns for, by {@code TABLE.FIELD}
 * @param efforts what each place did with the block, and how long it took, in order
 * @param fitted where a step may read records in several ways: how many each way took, by its path
 */
public record Shaped(
    Block block,
    long taken,
    long unfolded,
    long copied,
    long dropped,
    Map<String, Rows> rows,
    Rows dead,
    Map<Reason, Long> reasons,
    Optional<Revival> left,
    Map<String, Long> ignored,
    Map<String, Effort> efforts,
    Map<String, Long> fitted) {
  /** About how many bytes of memory the rows take, the dead letters among them. */
  public long allocated() {
    return dead.batch().allocated()
        + rows.values().stream().mapToLong(part -> part.batch().allocated()).sum();
  }
}
