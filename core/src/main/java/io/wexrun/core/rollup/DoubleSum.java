package io.wexrun.core.rollup;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.pipeline.Rollup;
import java.util.Arrays;

/** The sum or the average of floating-point numbers. */
final class DoubleSum extends Accumulator {
  private final Rollup.Measure measure;
  private ExactSum[] sums = new ExactSum[64];
  private long[] counts = new long[64];

  DoubleSum(Rollup.Measure measure) {
    this.measure = measure;
  }

  @Override
  void room(int groups) {
    if (groups > sums.length) {
      sums = Arrays.copyOf(sums, groups * 2);
      counts = Arrays.copyOf(counts, groups * 2);
    }
  }

  private ExactSum sum(int group) {
    if (sums[group] == null) {
      sums[group] = new ExactSum();
    }
    return sums[group];
  }

  @Override
  void add(Rows rows, Vector values, int[] groups) {
    DoubleVector numbers = (DoubleVector) values;
    for (int i = 0; i < groups.length; i++) {
      int row = rows.row(i);
      if (!numbers.absent(row)) {
        sum(groups[i]).add(numbers.get(row));
        counts[groups[i]]++;
      }
    }
  }

  private boolean isAverage() {
    return measure.function() == Rollup.Function.AVG;
  }

  @Override
  void absorb(Kept kept, int group) {
    if (!kept.absent(1)) {
      sum(group).addText(((TextVector) kept.column(1)).text(kept.row()));
      counts[group] += isAverage() ? kept.whole(2) : 1;
    }
  }

  @Override
  void write(int group, Vector... columns) {
    long count = counts[group];
    if (isAverage()) {
      ((LongVector) columns[2]).append(count);
    }
    if (count == 0) {
      columns[0].appendAbsent();
      columns[1].appendAbsent();
      return;
    }
    ExactSum sum = sum(group);
    ((DoubleVector) columns[0]).append(isAverage() ? sum.by(count) : sum.value());
    ((TextVector) columns[1]).append(sum.text());
  }
}
