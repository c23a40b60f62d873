package io.wexrun.network.access;

/** So many records a second, of which those of one second may come at once. For one thread. */
final class Rate {
  private static final double SECOND = 1e9;

  private final long most;
  private double left;
  private long at = System.nanoTime();

  Rate(long most) {
    this.most = most;
    this.left = most;
  }

  /**
   * Takes records if some are left; more than are left may be taken once, and are waited for then.
   *
   * @return after how many seconds some are left; 0 if they were taken
   */
  int wait(int records, long now) {
    left = Math.min(most, left + (now - at) / SECOND * most);
    at = now;
    if (left <= 0) {
      return (int) Math.max(1, Math.ceil(-left / most));
    }
    left -= records;
    return 0;
  }
}
