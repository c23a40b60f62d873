package io.wexrun.files;

import java.time.Duration;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeSet;

/**
 * Where records of a file end that had no end of their own when they were taken, because nothing
 * had followed them for a while. Taken again they end there too, whatever stands behind by then; so
 * a cut is used only when whoever keeps the file's identity knows it.
 */
final class Cuts {
  private final TreeSet<Long> all = new TreeSet<>();
  private final Set<Long> said = new HashSet<>();
  private long grewAt = System.nanoTime();

  /** Those of an earlier run. */
  void known(List<Long> places) {
    all.addAll(places);
    said.addAll(places);
  }

  /** More of the file was read. */
  void grew() {
    grewAt = System.nanoTime();
  }

  /**
   * If nothing has come for a while, what there is becomes a record.
   *
   * @param position where the bytes stand that are no record yet
   */
  void cutWhatIsDue(Reading reading, long position, byte[] rest) {
    if (rest.length > 0 && all.higher(position) == null) {
      int due = reading.due(rest, Duration.ofNanos(System.nanoTime() - grewAt));
      if (due > 0) {
        all.add(position + due);
      }
    }
  }

  /** The next one behind a position; empty if there is none, or none that may be used yet. */
  OptionalLong behind(long position) {
    Long next = all.higher(position);
    return next == null || !said.contains(next) ? OptionalLong.empty() : OptionalLong.of(next);
  }

  /** All of them, for the file's identity. */
  Collection<Long> all() {
    return all;
  }

  /** The identity was told: those in it may be used from now on. */
  void said() {
    said.addAll(all);
  }

  /** Nothing before a position is asked for again. */
  void accounted(long position) {
    all.headSet(position, true).clear();
    said.retainAll(all);
  }
}
