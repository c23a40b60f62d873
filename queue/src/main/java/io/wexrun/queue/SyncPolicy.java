package io.wexrun.queue;

import java.time.Duration;
import java.util.Optional;

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
 * @param interval how often; zero with each pack, empty whenever the system likes
 */
public record SyncPolicy(Optional<Duration> interval) {
  /** Before any record of a pack is acknowledged; several packs that wait share one sync. */
  public static SyncPolicy eachPack() {
    return new SyncPolicy(Optional.of(Duration.ZERO));
  }

  /** So often; records are acknowledged once they are written. */
  public static SyncPolicy every(Duration interval) {
    if (interval.isZero() || interval.isNegative()) {
      throw new IllegalArgumentException("an interval is longer than " + interval);
    }
    return new SyncPolicy(Optional.of(interval));
  }

  /** Left to the system; records are acknowledged once they are written. */
  public static SyncPolicy system() {
    return new SyncPolicy(Optional.empty());
  }

  /** Whether records are acknowledged only once they are synced. */
  boolean beforeAcknowledging() {
    return interval.isPresent() && interval.get().isZero();
  }

  @Override
  public String toString() {
    return interval.map(i -> i.isZero() ? "each pack" : "every " + i).orElse("system");
  }
}
