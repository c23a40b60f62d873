package io.wexrun.core.tally;

import io.wexrun.core.dead.Reason;
import java.util.EnumMap;
import java.util.Map;
import java.util.TreeMap;

/**
 * What became of some records.
 *
 * @param taken records that came in
 * @param unfolded rows more than records that steps made
 * @param copied copies more than one that the route made
 * @param loaded rows committed, by target
 * @param dead dead letters committed, by reason
 * @param dropped records that the route dropped
 * @param ignored values of fields that tables have no columns for, by {@code TABLE.FIELD}; they are
 *     parts of records, which the books do not balance
 */
public record Counts(
    long taken,
    long unfolded,
    long copied,
    Map<String, Long> loaded,
    Map<Reason, Long> dead,
    long dropped,
    Map<String, Long> ignored) {
  /** Nothing. */
  public static final Counts NONE = new Counts(0, 0, 0, Map.of(), Map.of(), 0);

  /** Nothing is ignored. */
  public Counts(
      long taken,
      long unfolded,
      long copied,
      Map<String, Long> loaded,
      Map<Reason, Long> dead,
      long dropped) {
    this(taken, unfolded, copied, loaded, dead, dropped, Map.of());
  }

  /** The sum of two. */
  public Counts plus(Counts other) {
    Map<String, Long> allLoaded = new TreeMap<>(loaded);
    other.loaded.forEach((target, n) -> allLoaded.merge(target, n, Long::sum));
    Map<Reason, Long> allDead = new EnumMap<>(Reason.class);
    allDead.putAll(dead);
    other.dead.forEach((reason, n) -> allDead.merge(reason, n, Long::sum));
    Map<String, Long> allIgnored = new TreeMap<>(ignored);
    other.ignored.forEach((field, n) -> allIgnored.merge(field, n, Long::sum));
    return new Counts(
        taken + other.taken,
        unfolded + other.unfolded,
        copied + other.copied,
        allLoaded,
        allDead,
        dropped + other.dropped,
        allIgnored);
  }

  /** The rows committed to all targets. */
  public long allLoaded() {
    return loaded.values().stream().mapToLong(Long::longValue).sum();
  }

  /** The dead letters for all reasons. */
  public long allDead() {
    return dead.values().stream().mapToLong(Long::longValue).sum();
  }

  /** Whether each record became one row, or died, or was dropped. */
  public boolean singles() {
    return unfolded == 0 && copied == 0;
  }

  /** What came in, with the rows and copies made of it. */
  public long in() {
    return taken + unfolded + copied;
  }

  /** What is done: loaded, dead and dropped. */
  public long out() {
    return allLoaded() + allDead() + dropped;
  }
}
