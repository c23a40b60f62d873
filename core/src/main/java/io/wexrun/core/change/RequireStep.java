package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.List;
import java.util.OptionalInt;

/** Rejects rows in which one of some fields is absent or an empty text. */
public final class RequireStep implements Step {
  private final Schema output;
  private final int[] places;

  /** {@code require: [NAME, ...]}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "require";
    }

    @Override
    public Form form() {
      return Form.list(Form.text()).about("fields that must be present");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int[] places =
          written.items().stream()
              .map(context::field)
              .filter(OptionalInt::isPresent)
              .mapToInt(OptionalInt::getAsInt)
              .toArray();
      return List.of(new RequireStep(context.input(), places));
    }
  }

  private RequireStep(Schema input, int[] places) {
    Schema schema = input;
    this.places = places;
    for (int i = 0; i < places.length; i++) {
      Column column = input.column(places[i]);
      schema = schema.with(Column.required(column.name(), column.type()));
    }
    output = schema;
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    for (int place : places) {
      Vector column = batch.column(place);
      TextVector text = column instanceof TextVector t ? t : null;
      for (int row = 0; row < batch.rows(); row++) {
        boolean absent = column.absent(row);
        if (absent || text != null && text.start(row) == text.end(row)) {
          String name = output.column(place).name();
          String detail = "'" + name + "' is " + (absent ? "absent" : "empty");
          rejects.reject(batch.record(row), Reason.MISSING_FIELD, name, detail);
        }
      }
    }
    return batch.with(output, batch.columns());
  }
}
