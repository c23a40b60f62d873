package io.wexrun.core.tally;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.SourcePartition;
import java.util.EnumMap;
import java.util.Map;
import java.util.TreeMap;

/**
 * Dead letters of one source partition that were replayed: how the numbers of its dead change.
 * Those that die again are its dead as before, if for another reason; those that do not are
 * revived.
 *
 * @param source from which the records came first
 * @param dead what is added to its dead by reason; less than 0 for those that are not any more
 */
public record Revival(SourcePartition source, Map<Reason, Long> dead) {
  /** Copies the map. */
  public Revival {
    dead = Map.copyOf(dead);
  }

  /** How many letters are not dead any more. */
  public long revived() {
    return -dead.values().stream().mapToLong(Long::longValue).sum();
  }

  /** This one with what died again. */
  public Revival diedAgain(Map<Reason, Long> again) {
    Map<Reason, Long> sum = new EnumMap<>(Reason.class);
    sum.putAll(dead);
    again.forEach((reason, count) -> sum.merge(reason, count, Long::sum));
    return new Revival(source, sum);
  }

  /** Adds this one to others, of which each is of another source. */
  void addTo(Map<SourcePartition, Revival> others) {
    others.merge(source, this, (a, b) -> a.diedAgain(b.dead));
  }

  /** Sums up by source. */
  public static Map<SourcePartition, Revival> sum(Iterable<Revival> some) {
    Map<SourcePartition, Revival> sums = new TreeMap<>();
    some.forEach(each -> each.addTo(sums));
    return sums;
  }
}
