package io.wexrun.core.rollup;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.Arrays;

/** One measure of every group. For one thread. */
abstract class Accumulator {
  /**
   * What keeps a measure.
   *
   * @param input the type of the values that come; null if rows are counted
   */
  static Accumulator of(Rollup.Measure measure, Type input) {
    return switch (measure.function()) {
      case COUNT -> new Count();
      case SUM, AVG ->
          input.storage() == Type.Storage.DOUBLE
              ? new DoubleSum(measure)
              : new WholeSum(measure, input);
      case MIN, MAX -> Extreme.of(measure);
      case DISTINCT -> new Distinct(input);
    };
  }

  /** Makes room for groups that are new. */
  abstract void room(int groups);

  /**
   * Adds the values of rows to their groups; absent ones do not count.
   *
   * @param values of the rows' batch; null if rows are counted
   */
  abstract void add(Rows rows, Vector values, int[] groups);

  /**
   * Adds what was kept of a group before.
   *
   * @param kept reads the columns of the measure
   */
  abstract void absorb(Kept kept, int group);

  /**
   * Appends what is kept of a group to the columns of the measure, the measure itself first.
   *
   * @throws OutOfRange if the measure does not fit into its column
   */
  abstract void write(int group, Vector... columns);

  /** A row of a table, of which the columns of one measure are read. */
  record Kept(Batch batch, int[] places, int row) {
    static int[] places(Rollup.Measure measure, Schema stored) {
      int[] places = new int[1 + measure.kept().size()];
      places[0] = stored.find(measure.column()).orElseThrow();
      for (int i = 1; i < places.length; i++) {
        Column column = measure.kept().get(i - 1);
        places[i] = stored.find(column.name()).orElseThrow();
      }
      return places;
    }

    Vector column(int which) {
      return batch.column(places[which]);
    }

    boolean absent(int which) {
      return column(which).absent(row);
    }

    long whole(int which) {
      return ((LongVector) column(which)).get(row);
    }
  }

  /** How many values there are. */
  private static final class Count extends Accumulator {
    private long[] counts = new long[64];

    @Override
    void room(int groups) {
      if (groups > counts.length) {
        counts = Arrays.copyOf(counts, groups * 2);
      }
    }

    @Override
    void add(Rows rows, Vector values, int[] groups) {
      boolean all = values == null || !values.hasAbsent();
      for (int i = 0; i < groups.length; i++) {
        if (all || !values.absent(rows.row(i))) {
          counts[groups[i]]++;
        }
      }
    }

    @Override
    void absorb(Kept kept, int group) {
      counts[group] += kept.whole(0);
    }

    @Override
    void write(int group, Vector... columns) {
      ((LongVector) columns[0]).append(counts[group]);
    }
  }
}
