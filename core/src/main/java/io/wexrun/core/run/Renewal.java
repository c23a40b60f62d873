package io.wexrun.core.run;

import io.wexrun.core.shape.Shaper;

/**
 * Gives a run another shaper while it goes on. It changes between two deliveries, when everything
 * that was shaped with the one before is accounted for: so a range is shaped by one of them only,
 * also if it is shaped again after a crash. For the thread that delivers.
 */
public interface Renewal {
  /** A shaper that stays. */
  Renewal NONE =
      new Renewal() {
        @Override
        public boolean due() {
          return false;
        }

        @Override
        public Shaper renew(Shaper shaper) {
          return shaper;
        }
      };

  /** Whether there is another one. Asked often; returns at once if it was asked just before. */
  boolean due();

  /**
   * The shaper from now on.
   *
   * @param shaper the one so far, which stays if there is no good one
   */
  Shaper renew(Shaper shaper);
}
