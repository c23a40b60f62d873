package io.wexrun.core.rollup;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.pipeline.Rollup;
import java.util.Arrays;
import java.util.BitSet;

/** The least or the greatest value. */
abstract class Extreme extends Accumulator {
  private final boolean least;
  private final BitSet present = new BitSet();

  private Extreme(boolean least) {
    this.least = least;
  }

  static Extreme of(Rollup.Measure measure) {
    boolean least = measure.function() == Rollup.Function.MIN;
    return switch (measure.type().storage()) {
      case LONG -> new OfWholes(least);
      case DOUBLE -> new OfDoubles(least);
      default -> new OfTexts(least);
    };
  }

  /** How a value compares with the one that a group has. */
  abstract int compare(Vector values, int row, int group);

  abstract void put(Vector values, int row, int group);

  abstract void append(int group, Vector column);

  @Override
  void add(Rows rows, Vector values, int[] groups) {
    for (int i = 0; i < groups.length; i++) {
      int row = rows.row(i);
      if (!values.absent(row)) {
        add(values, row, groups[i]);
      }
    }
  }

  private void add(Vector values, int row, int group) {
    if (!present.get(group)) {
      present.set(group);
      put(values, row, group);
      return;
    }
    int order = compare(values, row, group);
    if (least ? order < 0 : order > 0) {
      put(values, row, group);
    }
  }

  @Override
  void absorb(Kept kept, int group) {
    if (!kept.absent(0)) {
      add(kept.column(0), kept.row(), group);
    }
  }

  @Override
  void write(int group, Vector... columns) {
    if (present.get(group)) {
      append(group, columns[0]);
    } else {
      columns[0].appendAbsent();
    }
  }

  private static final class OfWholes extends Extreme {
    private long[] held = new long[64];

    OfWholes(boolean least) {
      super(least);
    }

    @Override
    void room(int groups) {
      held = groups > held.length ? Arrays.copyOf(held, groups * 2) : held;
    }

    @Override
    int compare(Vector values, int row, int group) {
      return Long.compare(((LongVector) values).get(row), held[group]);
    }

    @Override
    void put(Vector values, int row, int group) {
      held[group] = ((LongVector) values).get(row);
    }

    @Override
    void append(int group, Vector column) {
      ((LongVector) column).append(held[group]);
    }
  }

  private static final class OfDoubles extends Extreme {
    private double[] held = new double[64];

    OfDoubles(boolean least) {
      super(least);
    }

    @Override
    void room(int groups) {
      held = groups > held.length ? Arrays.copyOf(held, groups * 2) : held;
    }

    @Override
    int compare(Vector values, int row, int group) {
      return Double.compare(((DoubleVector) values).get(row), held[group]);
    }

    @Override
    void put(Vector values, int row, int group) {
      held[group] = ((DoubleVector) values).get(row);
    }

    @Override
    void append(int group, Vector column) {
      ((DoubleVector) column).append(held[group]);
    }
  }

  /** UTF-8 bytes are in the order of the code points. */
  private static final class OfTexts extends Extreme {
    private byte[][] held = new byte[64][];

    OfTexts(boolean least) {
      super(least);
    }

    @Override
    void room(int groups) {
      held = groups > held.length ? Arrays.copyOf(held, groups * 2) : held;
    }

    @Override
    int compare(Vector values, int row, int group) {
      TextVector texts = (TextVector) values;
      byte[] there = held[group];
      return Arrays.compareUnsigned(
          texts.data(), texts.start(row), texts.end(row), there, 0, there.length);
    }

    @Override
    void put(Vector values, int row, int group) {
      TextVector texts = (TextVector) values;
      held[group] = Arrays.copyOfRange(texts.data(), texts.start(row), texts.end(row));
    }

    @Override
    void append(int group, Vector column) {
      ((TextVector) column).append(held[group], 0, held[group].length);
    }
  }
}
