package io.wexrun.files;

import io.wexrun.files.content.Cutter;
import io.wexrun.files.content.Reading;
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
  private int changes;

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
   * @param cutter has the bytes that are no record yet
   */
  void cutWhatIsDue(Reading reading, Cutter cutter) {
    byte[] rest = cutter.rest();
    if (rest.length > 0 && all.higher(cutter.position()) == null && !cutter.inHead()) {
      Duration quiet = Duration.ofNanos(System.nanoTime() - grewAt);
      int due = reading.due(rest, quiet, cutter.newline());
      if (due > 0) {
        all.add(cutter.position() + due);
        changes++;
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

  /** How often they have changed. */
  int changes() {
    return changes;
  }

  /** The identity was told: those in it may be used from now on. */
  void said() {
    said.addAll(all);
  }

  /** Nothing before a position is asked for again. */
  void accounted(long position) {
    if (all.isEmpty() || all.first() > position) {
      return;
    }
    changes++;
    all.headSet(position, true).clear();
    said.retainAll(all);
  }
}
