package io.wexrun.core.run;

import java.time.InstantSource;

/**
 * How a pipeline runs.
 *
 * @param untilDrained whether the run ends when its intake is drained, or goes on until stopped
 * @param lanes how many threads shape, at least 1
 * @param channelBytes about how many bytes of raw records may wait between intake and targets
 * @param bufferBytes about how many bytes of memory the rows in all buffers and flushes may hold
 * @param clock the time for the age of buffers
 */
public record RunOptions(
    boolean untilDrained, int lanes, long channelBytes, long bufferBytes, InstantSource clock) {
  /** Ends when drained; a lane for each core; memory bounded to a part of the heap. */
  public static RunOptions untilDrained(boolean drained) {
    long heap = Runtime.getRuntime().maxMemory();
    return new RunOptions(
        drained,
        Math.max(1, Runtime.getRuntime().availableProcessors()),
        Math.min(32L << 20, heap / 12),
        Math.min(1L << 30, heap / 3),
        InstantSource.system());
  }

  /** These options for one of several runs that share the memory. */
  public RunOptions sharedBy(int runs) {
    return new RunOptions(untilDrained, lanes, channelBytes / runs, bufferBytes / runs, clock);
  }

  /** These options with another number of lanes. */
  public RunOptions withLanes(int other) {
    return new RunOptions(untilDrained, other, channelBytes, bufferBytes, clock);
  }

  /** These options with another clock. */
  public RunOptions withClock(InstantSource other) {
    return new RunOptions(untilDrained, lanes, channelBytes, bufferBytes, other);
  }
}
