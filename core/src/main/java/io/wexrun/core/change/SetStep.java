package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.expression.Evaluated;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
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
import java.util.Optional;

/** Computes one field from the others; an expression that fails rejects the row. */
public final class SetStep implements Step {
  private final Schema output;
  private final Expression expression;
  private final String name;
  private final int place;

  /** {@code set: {NAME: EXPRESSION, ...}}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "set";
    }

    @Override
    public Form form() {
      return Form.map(Form.text()).about("fields and the CEL expressions that give them");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      List<Step> steps = new ArrayList<>();
      Schema schema = context.input();
      for (Map.Entry<String, Written> entry : written.entries().entrySet()) {
        Written text = entry.getValue();
        Optional<Expression> compiled =
            new Expressions(schema, context.doubtful())
                .compile(text.text(), text.path(), text.diagnostics());
        if (compiled.isEmpty()) {
          context.doubtful().add(entry.getKey());
          continue;
        }
        Expression expression = compiled.get();
        for (String part : expression.onLibrary()) {
          context.onLibrary().add(text.path() + ": " + part);
        }
        steps.add(new SetStep(schema, entry.getKey(), expression));
        schema = steps.get(steps.size() - 1).output();
      }
      return steps;
    }
  }

  private static final int LONGEST = 1 << 20;

  private SetStep(Schema input, String name, Expression expression) {
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
    if (evaluated.values() instanceof TextVector texts) {
      return batch.with(output, place, bounded(texts, batch, rejects));
    }
    return batch.with(output, place, evaluated.values());
  }

  /** Texts that grow from step to step, as by doubling, end at a size that no record has. */
  private Vector bounded(TextVector texts, Batch batch, Rejects rejects) {
    TextVector shorter = null;
    for (int row = 0; row < texts.size(); row++) {
      int length = texts.absent(row) ? 0 : texts.end(row) - texts.start(row);
      boolean grown = length > LONGEST && length > longest(batch, row);
      if (grown && shorter == null) {
        shorter = new TextVector(texts.size(), 64);
        for (int before = 0; before < row; before++) {
          shorter.appendFrom(texts, before);
        }
      }
      if (grown) {
        String what = "it grew to a text of " + length + " bytes, " + LONGEST + " are allowed";
        rejects.reject(batch.record(row), Reason.FAILED_EXPRESSION, name, what);
        shorter.appendAbsent();
      } else if (shorter != null) {
        shorter.appendFrom(texts, row);
      }
    }
    return shorter == null ? texts : shorter;
  }

  /** The longest text that a row has already. */
  private static int longest(Batch batch, int row) {
    int longest = 0;
    for (Vector column : batch.columns()) {
      if (column instanceof TextVector texts && !texts.absent(row)) {
        longest = Math.max(longest, texts.end(row) - texts.start(row));
      }
    }
    return longest;
  }

  private static void rejectFailed(
      Evaluated evaluated, Batch batch, String field, Rejects rejects) {
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
