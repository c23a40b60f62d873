package io.wexrun.core.rollup;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.schema.Type;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.Arrays;

/** The sum or the average of whole numbers, or of decimals by their unscaled values. */
final class WholeSum extends Accumulator {
  private final Rollup.Measure measure;
  private final int scale;
  private final BigInteger limit;
  private long[] sums = new long[64];
  private long[] counts = new long[64];

  /** Of each group what its sum had when it grew beyond a long; null as long as none did. */
  private BigInteger[] carried;

  WholeSum(Rollup.Measure measure, Type input) {
    this.measure = measure;
    this.scale = input instanceof Type.Decimal decimal ? decimal.scale() : 0;
    this.limit =
        measure.type() instanceof Type.Decimal decimal
            ? BigInteger.TEN.pow(decimal.precision()).subtract(BigInteger.ONE)
            : BigInteger.valueOf(Long.MAX_VALUE);
  }

  @Override
  void room(int groups) {
    if (groups > sums.length) {
      sums = Arrays.copyOf(sums, groups * 2);
      counts = Arrays.copyOf(counts, groups * 2);
    }
  }

  @Override
  void add(Rows rows, Vector values, int[] groups) {
    LongVector numbers = (LongVector) values;
    for (int i = 0; i < groups.length; i++) {
      int row = rows.row(i);
      if (!numbers.absent(row)) {
        add(numbers.get(row), groups[i]);
        counts[groups[i]]++;
      }
    }
  }

  private void add(long value, int group) {
    long sum = sums[group] + value;
    if (((sums[group] ^ sum) & (value ^ sum)) < 0) {
      carry(BigInteger.valueOf(sums[group]), group);
      sum = value;
    }
    sums[group] = sum;
  }

  private void carry(BigInteger more, int group) {
    if (carried == null || group >= carried.length) {
      carried = carried == null ? new BigInteger[sums.length] : Arrays.copyOf(carried, sums.length);
    }
    carried[group] = carried[group] == null ? more : carried[group].add(more);
  }

  private BigInteger total(int group) {
    BigInteger sum = BigInteger.valueOf(sums[group]);
    boolean more = carried != null && group < carried.length && carried[group] != null;
    return more ? sum.add(carried[group]) : sum;
  }

  private boolean isAverage() {
    return measure.function() == Rollup.Function.AVG;
  }

  @Override
  void absorb(Kept kept, int group) {
    if (isAverage()) {
      long count = kept.whole(2);
      counts[group] += count;
      if (count > 0) {
        TextVector texts = (TextVector) kept.column(1);
        carry(new BigDecimal(texts.text(kept.row())).setScale(scale).unscaledValue(), group);
      }
    } else if (!kept.absent(0)) {
      counts[group]++;
      add(kept.whole(0), group);
    }
  }

  @Override
  void write(int group, Vector... columns) {
    long count = counts[group];
    BigInteger total = total(group);
    if (isAverage()) {
      ((LongVector) columns[2]).append(count);
    }
    if (count == 0) {
      columns[0].appendAbsent();
      if (isAverage()) {
        columns[1].appendAbsent();
      }
    } else if (isAverage()) {
      BigDecimal sum = new BigDecimal(total, scale);
      ((DoubleVector) columns[0]).append(Sums.quotient(sum, count));
      ((TextVector) columns[1]).append(Sums.plain(sum));
    } else if (total.abs().compareTo(limit) > 0) {
      throw new OutOfRange(measure.column(), "the sum " + new BigDecimal(total, scale));
    } else {
      ((LongVector) columns[0]).append(total.longValueExact());
    }
  }
}
