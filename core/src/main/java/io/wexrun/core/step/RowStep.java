package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.GrowthException;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;

/**
 * A step of one's own that works on one row at a time: a function from a row to a row, to several,
 * or to nothing. Pure, like every step, and used by several threads at once.
 *
 * <pre>{@code
 * public final class Rush implements StepKind {
 *   public String name() { return "rush"; }
 *
 *   public List<Step> compile(Written written, StepContext context) {
 *     return List.of(new RowStep(context.input().with(Column.of("rush", Type.Scalar.BOOL)),
 *         (row, rows) -> rows.set("rush", row.number("ms").map(ms -> ms > 500))));
 *   }
 * }
 * }</pre>
 */
public final class RowStep implements Step {

  /** What is done with each row. */
  @FunctionalInterface
  public interface Work {
    /**
     * Makes rows of a row: sets fields, and calls {@link RowWriter#add} for each one; without a
     * call, one is added.
     *
     * @throws Exception kills the record ({@code failed-step}), not the run
     */
    void on(RowView row, RowWriter rows) throws Exception;
  }

  private final Schema output;
  private final Work work;

  /**
   * A step.
   *
   * @param output the fields behind it; those of the same name and type as before keep their values
   *     unless they are set
   */
  public RowStep(Schema output, Work work) {
    this.output = output;
    this.work = work;
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Vector[] columns =
        output.columns().stream()
            .map(Column::type)
            .map(type -> Vectors.forType(type, batch.rows()))
            .toArray(Vector[]::new);
    int[] records = new int[batch.rows() + 8];
    int count = 0;
    RowView row = new RowView();
    RowWriter rows = new RowWriter(output, columns);
    BitSet left = new BitSet();
    for (int i = 0; i < batch.rows(); i++) {
      int record = batch.record(i);
      if (rejects.rejected(record)) {
        continue;
      }
      row.at(batch, i);
      rows.begin(row);
      int added = work(row, rows, columns, count, record, rejects);
      if (count + added > records.length) {
        records = Arrays.copyOf(records, Math.max(records.length * 2, count + added));
      }
      Arrays.fill(records, count, count + added, record);
      count += added;
      left.set(record, left.get(record) || added > 0);
    }
    for (int i = 0; i < batch.rows(); i++) {
      if (!left.get(batch.record(i))) {
        rejects.drop(batch.record(i));
      }
    }
    return new Batch(output, List.of(columns), count, batch.records(), records);
  }

  /** How many rows were added; none if the work failed, and then what it added is taken back. */
  private int work(
      RowView row, RowWriter rows, Vector[] columns, int count, int record, Rejects rejects) {
    try {
      work.on(row, rows);
      if (rows.added() == 0 && !rows.dropped()) {
        rows.add();
      }
      if (!rows.dropped()) {
        return rows.added();
      }
    } catch (GrowthException e) {
      throw e; // The other rows may be to blame.
    } catch (Exception e) {
      rejects.reject(record, Reason.FAILED_STEP, "", StepFailures.detail(e));
    } catch (Error e) {
      if (!StepFailures.areOfRecord(e)) {
        throw e;
      }
      rejects.reject(record, Reason.FAILED_STEP, "", StepFailures.detail(e));
    }
    for (Vector column : columns) {
      column.truncate(Math.min(count, column.size()));
    }
    return 0;
  }
}
