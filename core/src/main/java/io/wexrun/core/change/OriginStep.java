package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Adds where a record comes from: its source, its position there, and when it was taken. */
public final class OriginStep implements Step {
  private enum Part {
    SOURCE(Type.Scalar.TEXT),
    POSITION(Type.Scalar.LONG),
    TAKEN(Type.Scalar.TIMESTAMP),
    RAW(Type.Scalar.BYTES);

    private final Type type;

    Part(Type type) {
      this.type = type;
    }
  }

  private final Schema output;
  private final Map<String, Part> parts;

  private OriginStep(Schema input, Map<String, Part> parts) {
    Schema schema = input;
    for (Map.Entry<String, Part> part : parts.entrySet()) {
      boolean required = part.getValue() != Part.TAKEN;
      schema = schema.with(new Column(part.getKey(), part.getValue().type, required));
    }
    this.output = schema;
    this.parts = parts;
  }

  /** {@code origin: {NAME: source | position | taken | raw, ...}}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "origin";
    }

    @Override
    public Form form() {
      return Form.map(Form.word("source", "position", "taken", "raw"))
          .about("adds where a record comes from");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Map<String, Part> parts = new LinkedHashMap<>();
      written
          .entries()
          .forEach(
              (name, part) -> {
                String chosen = part.choice(List.of("source", "position", "taken", "raw"));
                parts.put(name, Part.valueOf(chosen.toUpperCase(java.util.Locale.ROOT)));
              });
      if (context.first() && context.input().size() == 0) {
        String message = "origin stands behind the step that reads the record";
        written.error("misplaced-step", message, "move it down");
      }
      return List.of(new OriginStep(context.input(), parts));
    }
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Map<String, Vector> columns = new LinkedHashMap<>();
    parts.forEach((name, part) -> columns.put(name, column(part, batch)));
    return batch.with(output, columns);
  }

  private static Vector column(Part part, Batch batch) {
    Records records = batch.records();
    int rows = batch.rows();
    if (part == Part.SOURCE || part == Part.RAW) {
      TextVector texts = new TextVector(rows, rows * 24);
      byte[] source = records.source().getBytes(java.nio.charset.StandardCharsets.UTF_8);
      for (int row = 0; row < rows; row++) {
        int record = batch.record(row);
        if (part == Part.RAW) {
          texts.append(records.data(), records.start(record), records.end(record));
        } else {
          texts.append(source, 0, source.length);
        }
      }
      return texts;
    }
    LongVector numbers = new LongVector(rows);
    for (int row = 0; row < rows; row++) {
      long taken = records.taken(batch.record(row));
      if (part == Part.POSITION) {
        numbers.append(batch.position(row));
      } else if (taken == 0) {
        numbers.appendAbsent();
      } else {
        numbers.append(taken);
      }
    }
    return numbers;
  }
}
