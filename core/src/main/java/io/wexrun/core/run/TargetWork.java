package io.wexrun.core.run;

/**
 * What was done for a target.
 *
 * @param rows rows that were committed
 * @param bytes about how large their columns are
 * @param flushes how often something was committed
 * @param nanos how long staging and committing took, in nanoseconds
 * @param taken how long rows were on their way since the intake took them
 * @param events how long they were since their events happened: by the first column of the table
 *     that is a timestamp
 */
public record TargetWork(
    long rows, long bytes, long flushes, long nanos, Delays taken, Delays events) {
  /** Nothing yet. */
  public static final TargetWork NONE = new TargetWork(0, 0, 0, 0, Delays.NONE, Delays.NONE);

  /** The sum of two. */
  public TargetWork plus(TargetWork other) {
    return new TargetWork(
        rows + other.rows,
        bytes + other.bytes,
        flushes + other.flushes,
        nanos + other.nanos,
        taken.plus(other.taken),
        events.plus(other.events));
  }
}
