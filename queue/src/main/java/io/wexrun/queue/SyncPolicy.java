package io.wexrun.queue;

import java.time.Duration;

/**
 * When what is appended is forced onto the disk, and so what an acknowledged record can survive.
 *
 * <table>
 * <caption>What can be lost of acknowledged records</caption>
 * <tr><th>policy</th><th>the process dies</th><th>the machine loses power</th></tr>
 * <tr><td>{@link #eachPack}</td><td>nothing</td><td>nothing</td></tr>
 * <tr><td>{@link #every}</td><td>nothing</td><td>what came since the last time</td></tr>
 * <tr><td>{@link #system}</td><td>nothing</td><td>what the system has not written, often 30 s</td></tr>
 * </table>
 *
 * @param interval how often; zero with each pack, null whenever the system likes
 */
public record SyncPolicy(Duration interval) {
  /** Before any record of a pack is acknowledged; several packs that wait share one sync. */
  public static SyncPolicy eachPack() {
    return new SyncPolicy(Duration.ZERO);
  }

  /** So often; records are acknowledged once they are written. */
  public static SyncPolicy every(Duration interval) {
    if (interval.isZero() || interval.isNegative()) {
      throw new IllegalArgumentException("an interval is longer than " + interval);
    }
    return new SyncPolicy(interval);
  }

  /** Left to the system; records are acknowledged once they are written. */
  public static SyncPolicy system() {
    return new SyncPolicy(null);
  }

  /** Whether records are acknowledged only once they are synced. */
  boolean beforeAcknowledging() {
    return interval != null && interval.isZero();
  }

  @Override
  public String toString() {
    return interval == null ? "system" : interval.isZero() ? "each pack" : "every " + interval;
  }
}
