package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.expression.Evaluated;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;

/** Computes one field from the others; an expression that fails rejects the row. */
final class SetStep implements Step {
  private final Schema output;
  private final Expression expression;
  private final String name;
  private final int place;

  SetStep(Schema input, String name, Expression expression) {
    this.name = name;
    this.expression = expression;
    this.place = input.find(name).orElse(input.size());
    this.output = input.with(Column.of(name, expression.type()));
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Evaluated evaluated = expression.evaluate(batch);
    rejectFailed(evaluated, batch, name, rejects);
    return batch.with(output, place, evaluated.values());
  }

  static void rejectFailed(Evaluated evaluated, Batch batch, String field, Rejects rejects) {
    if (evaluated.failures() == null) {
      return;
    }
    for (int row = 0; row < batch.rows(); row++) {
      if (evaluated.failed(row)) {
        int record = batch.record(row);
        rejects.reject(record, Reason.FAILED_EXPRESSION, field, evaluated.failure(row));
      }
    }
  }
}
