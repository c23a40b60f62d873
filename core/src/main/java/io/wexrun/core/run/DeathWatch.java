package io.wexrun.core.run;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Deaths;
import io.wexrun.core.tally.Account;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.OptionalDouble;

/**
 * Watches how many of a pipeline's last records died. As long as there were fewer than are watched,
 * the missing ones count as if they had lived. For several threads.
 */
final class DeathWatch {
  /** Records are counted by ranges; small ones are put together, so that there are few. */
  private static final int PARTS = 100;

  private static final class Part {
    private long taken;
    private long dead;
  }

  private final String pipeline;
  private final Deaths deaths;
  private final boolean goesOn;
  private final Deque<Part> parts = new ArrayDeque<>();
  private long taken;
  private long dead;
  private boolean warned;
  private boolean resumed;

  /**
   * A watch.
   *
   * @param goesOn whether the run is one that goes on, in which the pipeline can be resumed
   * @param resumed whether a person let it continue after it was stopped
   */
  DeathWatch(String pipeline, Deaths deaths, boolean goesOn, boolean resumed) {
    this.resumed = resumed;
    this.pipeline = pipeline;
    this.deaths = deaths;
    this.goesOn = goesOn;
  }

  /**
   * These ranges are in the tally.
   *
   * @return what somebody should know now
   * @throws OutsideException if more died than may; only a person can say that it goes on
   */
  synchronized Optional<Notice.Kind> accounted(List<Account> accounts) {
    resumed = false;
    if (deaths.equals(Deaths.ANY)) {
      return Optional.empty();
    }
    for (Account account : accounts) {
      add(account.counts().taken(), account.counts().allDead());
    }
    if (passes(deaths.stop())) {
      throw stopped(
          words(),
          "'wexrun dead " + pipeline + "' says why, and ",
          goesOn ? "continues" : "the next run continues behind them");
    }
    boolean many = passes(deaths.warn());
    if (many == warned) {
      return Optional.empty();
    }
    warned = many;
    return Optional.of(many ? Notice.Kind.WAITS : Notice.Kind.GOES_ON);
  }

  /**
   * A store refuses rows of a flush, which is not committed yet.
   *
   * @param rows how many were searched
   * @param refused how many of them it refuses
   * @throws OutsideException if more die by that than may
   */
  synchronized void searched(long rows, long refused) {
    long all = Math.max(taken + rows, deaths.of());
    double share = (double) (dead + refused) / all;
    if (!resumed && deaths.stop().isPresent() && share > deaths.stop().getAsDouble()) {
      throw stopped(
          "a store refuses "
              + Counted.number(refused)
              + " of "
              + Counted.of(rows, "row")
              + ", so "
              + percent(share)
              + " of the last "
              + Counted.of(all, "record")
              + " would die",
          "nothing of them is loaded yet; ",
          goesOn
              ? "loads the others and lets these die"
              : "the next run loads the others and lets these die");
    }
  }

  private OutsideException stopped(String why, String hint, String then) {
    return OutsideException.untilTold(
        "pipeline "
            + pipeline
            + " has stopped: "
            + why
            + ", and it is to stop above "
            + percent(deaths.stop().getAsDouble())
            + ". "
            + hint
            + (goesOn ? "'wexrun resume " + pipeline + "' " : "")
            + then);
  }

  private void add(long more, long died) {
    Part last = parts.peekLast();
    if (last == null || last.taken + more > deaths.of() / PARTS) {
      last = new Part();
      parts.add(last);
    }
    last.taken += more;
    last.dead += died;
    taken += more;
    dead += died;
    while (parts.size() > 1 && taken - parts.peek().taken >= deaths.of()) {
      Part gone = parts.remove();
      taken -= gone.taken;
      dead -= gone.dead;
    }
  }

  private boolean passes(OptionalDouble limit) {
    return limit.isPresent() && share() > limit.getAsDouble();
  }

  private double share() {
    return (double) dead / Math.max(taken, deaths.of());
  }

  private static String percent(double share) {
    return String.format(Locale.ROOT, "%.3g", 100 * share).replaceAll("\\.?0+$", "") + " %";
  }

  /** How many died, in words. */
  synchronized String words() {
    return Counted.number(dead)
        + " of the last "
        + Counted.of(Math.max(taken, deaths.of()), "record")
        + " died ("
        + percent(share())
        + ")";
  }
}
