package io.wexrun.core.run;

import io.wexrun.core.intake.Choice;
import java.time.Duration;
import java.time.InstantSource;

/**
 * How pipelines run.
 *
 * @param untilDrained whether a run ends when its intake is drained, and at its first failure; or
 *     goes on until stopped
 * @param strict whether a run that goes on ends at its first failure, too, instead of trying again;
 *     and whether the failure of one pipeline ends those beside it
 * @param lanes how many threads shape, for all pipelines together, at least 1
 * @param channelBytes about how many bytes of raw records may wait between intakes and targets
 * @param bufferBytes about how many bytes of memory the rows in all buffers and flushes may hold
 * @param retry how long a run waits before it delivers again
 * @param slow how long a flush may take before it is told
 * @param clock the time for the age of buffers
 * @param choice what of their intakes pipelines take
 * @param asNew whether a pipeline begins anew that seems to be another one under a new name
 */
public record RunOptions(
    boolean untilDrained,
    boolean strict,
    int lanes,
    long channelBytes,
    long bufferBytes,
    Retry retry,
    Duration slow,
    InstantSource clock,
    Choice choice,
    boolean asNew) {
  /**
   * How long to wait before something that failed is tried again: twice as long each time, until
   * something was delivered.
   *
   * @param first after the first failure
   * @param longest at most
   */
  public record Retry(Duration first, Duration longest) {}

  /**
   * A lane for each core; memory bounded to a part of the heap; what fails is tried again after 1
   * to 30 seconds.
   *
   * @param drained whether the run ends when drained
   */
  public static RunOptions untilDrained(boolean drained) {
    long heap = Runtime.getRuntime().maxMemory();
    return new RunOptions(
        drained,
        false,
        Math.max(1, Runtime.getRuntime().availableProcessors()),
        Math.min(32L << 20, heap / 12),
        Math.min(1L << 30, heap / 3),
        new Retry(Duration.ofSeconds(1), Duration.ofSeconds(30)),
        Duration.ofMinutes(1),
        InstantSource.system(),
        Choice.ALL,
        false);
  }

  /** These options for a run that ends when its intake is drained. */
  public RunOptions drained() {
    return new RunOptions(
        true, strict, lanes, channelBytes, bufferBytes, retry, slow, clock, choice, asNew);
  }

  /** These options for a run that ends at its first failure. */
  public RunOptions strictly() {
    return new RunOptions(
        untilDrained, true, lanes, channelBytes, bufferBytes, retry, slow, clock, choice, asNew);
  }

  /** These options with another number of lanes. */
  public RunOptions withLanes(int other) {
    return new RunOptions(
        untilDrained, strict, other, channelBytes, bufferBytes, retry, slow, clock, choice, asNew);
  }

  /** These options with other bounds of memory. */
  public RunOptions withMemory(long channel, long buffers) {
    return new RunOptions(
        untilDrained, strict, lanes, channel, buffers, retry, slow, clock, choice, asNew);
  }

  /** These options with other delays. */
  public RunOptions withRetry(Duration first, Duration longest) {
    Retry other = new Retry(first, longest);
    return new RunOptions(
        untilDrained, strict, lanes, channelBytes, bufferBytes, other, slow, clock, choice, asNew);
  }

  /** These options with another time after which a flush is told that has not ended. */
  public RunOptions withSlow(Duration other) {
    return new RunOptions(
        untilDrained, strict, lanes, channelBytes, bufferBytes, retry, other, clock, choice, asNew);
  }

  /** These options with another clock. */
  public RunOptions withClock(InstantSource other) {
    return new RunOptions(
        untilDrained, strict, lanes, channelBytes, bufferBytes, retry, slow, other, choice, asNew);
  }

  /** These options for a part of what intakes have. */
  public RunOptions withChoice(Choice other) {
    return new RunOptions(
        untilDrained, strict, lanes, channelBytes, bufferBytes, retry, slow, clock, other, asNew);
  }

  /**
   * These options for pipelines that begin anew, though they seem to be others that were renamed.
   */
  public RunOptions withAsNew() {
    return new RunOptions(
        untilDrained, strict, lanes, channelBytes, bufferBytes, retry, slow, clock, choice, true);
  }

  /** Whether a pipeline that has failed is started again. */
  public boolean startsAgain() {
    return !untilDrained && !strict;
  }

  /** Whether the first failure of a delivery ends the run. */
  boolean failsAtOnce() {
    return untilDrained || strict;
  }
}
