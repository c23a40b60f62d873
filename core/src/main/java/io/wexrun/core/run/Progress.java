package io.wexrun.core.run;

/**
 * How far a run has got since it started, for people to watch. The tally is what counts.
 *
 * @param taken records taken; what waited in a channel on disk at the start counts as taken then
 * @param loaded rows committed to tables and queues
 * @param dead dead letters committed
 * @param dropped records dropped and accounted for
 * @param held rows and records taken but not accounted for
 * @param bytes raw bytes taken
 */
public record Progress(long taken, long loaded, long dead, long dropped, long held, long bytes) {
  /** Nothing yet. */
  public static final Progress NONE = new Progress(0, 0, 0, 0, 0, 0);

  /** The sum of two. */
  public Progress plus(Progress other) {
    return new Progress(
        taken + other.taken,
        loaded + other.loaded,
        dead + other.dead,
        dropped + other.dropped,
        held + other.held,
        bytes + other.bytes);
  }
}
