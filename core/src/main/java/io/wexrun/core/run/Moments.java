package io.wexrun.core.run;

import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.util.List;
import java.util.OptionalLong;

/**
 * When the events of some rows happened: by the first column of their table that is a timestamp.
 * The times are in microseconds since 1970-01-01T00:00:00Z, and as extreme as the rows have them.
 *
 * @param count how many rows have such a time
 * @param base a time at which the rows were there
 * @param sum of the times behind the base; mostly negative
 * @param oldest the first one
 * @param newest the last one
 */
record Moments(long count, long base, double sum, long oldest, long newest) {
  static final Moments NONE = new Moments(0, 0, 0, 0, 0);

  /** Of rows; none if they have no such column. */
  static Moments of(Rows rows, long base) {
    List<Column> columns = rows.batch().schema().columns();
    for (int i = 0; i < columns.size(); i++) {
      if (columns.get(i).type() == Type.Scalar.TIMESTAMP) {
        return of(rows, rows.batch().column(i), base);
      }
    }
    return NONE;
  }

  private static Moments of(Rows rows, Vector column, long base) {
    if (!(column instanceof LongVector times)) {
      return NONE;
    }
    long[] values = times.values();
    long count = 0;
    double sum = 0;
    long oldest = Long.MAX_VALUE;
    long newest = Long.MIN_VALUE;
    for (int i = 0; i < rows.count(); i++) {
      int row = rows.row(i);
      if (times.absent(row)) {
        continue;
      }
      long time = values[row];
      count++;
      sum += (double) time - base;
      oldest = Math.min(oldest, time);
      newest = Math.max(newest, time);
    }
    return count == 0 ? NONE : new Moments(count, base, sum, oldest, newest);
  }

  /** When the last one happened, in microseconds since 1970; empty if there is none. */
  OptionalLong last() {
    return count == 0 ? OptionalLong.empty() : OptionalLong.of(newest);
  }

  /** How long ago they were at a time, in microseconds since 1970. */
  Delays until(long now) {
    return count == 0
        ? Delays.NONE
        : new Delays(count, (double) count * (now - base) - sum, since(oldest, now), newest);
  }

  /** The longest time there is, if it was longer ago. */
  private static long since(long time, long now) {
    return now >= 0 && time < now - Long.MAX_VALUE ? Long.MAX_VALUE : now - time;
  }
}
