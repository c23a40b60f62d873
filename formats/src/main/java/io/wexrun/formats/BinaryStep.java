package io.wexrun.formats;

import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.written.Written;
import java.util.Map;

/** A step that reads records in a binary format. */
abstract class BinaryStep extends ParseStep {
  static final String FIELD = FROM;

  BinaryStep(Schema input, Schema parsed, int from) {
    super(input, parsed, from);
  }

  static int place(Map<String, Written> entries, Written step, StepContext context) {
    return from(entries, step, context);
  }

  @Override
  protected boolean binary() {
    return true;
  }
}
