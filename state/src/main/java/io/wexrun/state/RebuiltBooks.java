package io.wexrun.state;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.state.Rebuilds.Older;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;

/**
 * The books of a pipeline after its tables were built again.
 *
 * <p>For each source partition: taken is what was taken before. Loaded into a table that was built
 * again are the rows that were built, and those that were taken over; into other targets, what was
 * loaded before, since they are as they were. Dead are the letters of the records that were built
 * again, and those that were taken over. What records of before became that is not known any more,
 * since it depends on a text of then, is what is left: so the books balance. It counts as dropped
 * if it is missing, and as unfolded if there is more than was taken.
 */
final class RebuiltBooks {
  private final Map<SourcePartition, SourceTally> before;
  private final Map<SourcePartition, SourceTally> built;
  private final Map<SourcePartition, Older> older;
  private final Set<String> tables;

  /**
   * From what is known.
   *
   * @param before the books of the pipeline, those of its replays among them
   * @param built those of the rebuild
   * @param older what was taken over
   * @param tables those that were built again
   */
  RebuiltBooks(
      Map<SourcePartition, SourceTally> before,
      Map<SourcePartition, SourceTally> built,
      Map<SourcePartition, Older> older,
      Set<String> tables) {
    this.before = before;
    this.built = built;
    this.older = older;
    this.tables = tables;
  }

  /** The counts of each source partition of the pipeline, without replays: they are in them. */
  Map<SourcePartition, Counts> counts() {
    Map<SourcePartition, Counts> all = new TreeMap<>();
    Map<String, Long> replayed = new TreeMap<>();
    before.forEach(
        (source, tally) -> {
          if (ReplaySource.is(source)) {
            others(tally).forEach((target, rows) -> replayed.merge(target, rows, Long::sum));
          }
        });
    for (Map.Entry<SourcePartition, SourceTally> each : before.entrySet()) {
      if (!ReplaySource.is(each.getKey())) {
        // Which source a replayed row came from is not known of targets that are no tables.
        all.put(each.getKey(), counts(each.getKey(), each.getValue(), Map.copyOf(replayed)));
        replayed.clear();
      }
    }
    return all;
  }

  private Map<String, Long> others(SourceTally tally) {
    Map<String, Long> others = new TreeMap<>(tally.counts().loaded());
    others.keySet().removeAll(tables);
    return others;
  }

  private Counts counts(SourcePartition source, SourceTally tally, Map<String, Long> replayed) {
    SourceTally anew = built.get(source);
    Counts made = anew == null ? Counts.NONE : anew.counts();
    Map<String, Long> madeInTables = new TreeMap<>(made.loaded());
    madeInTables.keySet().retainAll(tables);
    Older kept = older.getOrDefault(source, Older.NONE);
    Counts sum =
        new Counts(
                tally.counts().taken(),
                made.unfolded(),
                made.copied(),
                madeInTables,
                made.dead(),
                made.dropped(),
                made.ignored())
            .plus(new Counts(0, 0, 0, kept.loaded(), kept.dead(), 0))
            .plus(new Counts(0, 0, 0, others(tally), Map.of(), 0))
            .plus(new Counts(0, 0, 0, replayed, Map.of(), 0));
    long missing = sum.in() - sum.out();
    return sum.plus(
        new Counts(0, Math.max(0, -missing), 0, Map.of(), Map.of(), Math.max(0, missing)));
  }
}
