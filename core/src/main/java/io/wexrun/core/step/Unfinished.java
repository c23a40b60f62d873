package io.wexrun.core.step;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;

/** Stands for a step with mistakes, so that later steps are checked against its fields. */
public record Unfinished(Schema output) implements Step {
  public Unfinished(Schema input, Schema fields) {
    this(plus(input, fields));
  }

  private static Schema plus(Schema input, Schema fields) {
    Schema schema = input;
    for (Column column : fields.columns()) {
      schema = schema.with(column);
    }
    return schema;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    throw new IllegalStateException("a shape with mistakes cannot run");
  }
}
