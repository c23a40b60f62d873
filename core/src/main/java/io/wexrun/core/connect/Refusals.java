package io.wexrun.core.connect;

import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;

/**
 * Counts what doors of a workspace refuse, and logs it: each reason at once, and then at most once
 * a minute with how often it was. For several threads.
 */
public final class Refusals implements AutoCloseable {
  private static final long QUIET = TimeUnit.MINUTES.toNanos(1);

  private final Map<Refusal, Count> counts = new TreeMap<>();

  /**
   * Why a door refuses.
   *
   * @param door its address, such as {@code http 8400}
   * @param reason a status of HTTP, or a word such as {@code full}
   */
  public record Refusal(String door, String reason) implements Comparable<Refusal> {
    @Override
    public int compareTo(Refusal other) {
      int order = door.compareTo(other.door);
      return order == 0 ? reason.compareTo(other.reason) : order;
    }
  }

  private static final class Count {
    private long all;
    private long untold;
    private long toldAt = System.nanoTime() - QUIET;
  }

  /** The refusals of a workspace. */
  public static Refusals of(Site site) {
    return site.shared(Refusals.class, s -> new Refusals());
  }

  /**
   * Counts one.
   *
   * @param what is said of it, for people; without anything that came from outside
   */
  public void add(String door, String reason, String what) {
    long told;
    synchronized (this) {
      Count count = counts.computeIfAbsent(new Refusal(door, reason), r -> new Count());
      count.all++;
      count.untold++;
      if (System.nanoTime() - count.toldAt < QUIET) {
        return;
      }
      told = count.untold;
      count.untold = 0;
      count.toldAt = System.nanoTime();
    }
    System.getLogger(Refusals.class.getName())
        .log(
            System.Logger.Level.WARNING,
            "door {0}: refused {1}, {2}",
            door,
            told == 1 ? "one" : Long.toString(told),
            what);
  }

  /** How often each was counted, since the process began. */
  public synchronized Map<Refusal, Long> counts() {
    Map<Refusal, Long> all = new TreeMap<>();
    counts.forEach((refusal, count) -> all.put(refusal, count.all));
    return all;
  }

  @Override
  public void close() {
    // Nothing is open.
  }
}
