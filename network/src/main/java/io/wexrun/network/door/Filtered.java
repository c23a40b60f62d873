package io.wexrun.network.door;

import io.wexrun.core.intake.Records;
import java.util.BitSet;
import java.util.function.IntPredicate;

/** Some of the records that came. */
public final class Filtered {
  private Filtered() {}

  /** Without lines that have nothing in them: those are no records. */
  public static Records withoutBlank(Records records) {
    return records.areLines() ? of(records, i -> !records.blank(i)) : records;
  }

  /** Those of which a number satisfies a condition, in order; numbered anew. */
  public static Records of(Records records, IntPredicate condition) {
    int count = records.count();
    int[] starts = new int[count];
    int[] ends = new int[count];
    int kept = 0;
    for (int i = 0; i < count; i++) {
      if (condition.test(i)) {
        starts[kept] = records.start(i);
        ends[kept++] = records.end(i);
      }
    }
    return kept == count
        ? records
        : Records.numbered(records.data(), starts, ends, kept, 0, new BitSet());
  }
}
