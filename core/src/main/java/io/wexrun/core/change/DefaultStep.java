package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.field.Field;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;

/** Puts a fixed value where a field is absent. */
public final class DefaultStep implements Step {
  private final Schema output;
  private final int place;
  private final Vector value;

  private DefaultStep(Schema input, int place, Vector value) {
    Column column = input.column(place);
    this.output = input.with(Column.required(column.name(), column.type()));
    this.place = place;
    this.value = value;
  }

  /** {@code default: {NAME: VALUE, ...}}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "default";
    }

    @Override
    public Form form() {
      return Form.map(Form.text()).about("values where fields are absent");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      List<Step> steps = new ArrayList<>();
      Schema schema = context.input();
      for (Map.Entry<String, Written> entry : written.entries().entrySet()) {
        OptionalInt place = context.fieldOfKey(entry.getKey(), entry.getValue());
        if (place.isEmpty()) {
          continue;
        }
        Column column = schema.column(place.getAsInt());
        if (column.required()) {
          String message = "'" + column.name() + "' is never absent here";
          entry.getValue().warning("needless-default", message, "remove it");
        }
        Field field = Field.of(column.name(), column.type());
        Vector value = CastStep.single(field, entry.getValue());
        if (value != null) {
          steps.add(new DefaultStep(schema, place.getAsInt(), value));
          schema = steps.get(steps.size() - 1).output();
        }
      }
      return steps;
    }
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Vector from = batch.column(place);
    if (!from.hasAbsent()) {
      return batch.with(output, batch.columns());
    }
    Vector filled = Vectors.forType(output.column(place).type(), batch.rows());
    for (int row = 0; row < batch.rows(); row++) {
      boolean absent = from.absent(row);
      filled.appendFrom(absent ? value : from, absent ? 0 : row);
    }
    return batch.with(output, place, filled);
  }
}
