package io.wexrun.core.parse;

import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.List;
import java.util.Map;

/** Reads texts that hold one JSON value each (RFC 8259) and picks fields out of it. */
public final class JsonStep extends ParseStep {
  private final Picks picks;

  /**
   * The fields to pick, and how.
   *
   * @param rest the name of the field for members of the top that no field picks, or empty
   */
  record Picks(JsonPick top, List<Field> fields, String rest) {
    /** Reads them from what is written; mistakes are told. */
    static Picks of(Written written, Written fields, Written rest, StepContext context) {
      List<FieldParser.Read> read =
          fields == null ? List.of() : FieldParser.fields(fields, context.patterns());
      JsonPick top = new JsonPick();
      for (int i = 0; i < read.size(); i++) {
        String name = read.get(i).field().name();
        try {
          top.add(read.get(i).from().orElse(name), i);
        } catch (IllegalArgumentException e) {
          Written at = new Written("", fields.path().key(name), fields.diagnostics());
          at.error("bad-path", "'" + name + "' cannot be read: " + e.getMessage(), "");
        }
      }
      String restName = rest == null ? "" : rest.text();
      if (read.isEmpty() && restName.isEmpty()) {
        String hint = "add fields: {NAME: TYPE}, or rest: NAME for all of it";
        written.error("missing-key", "no field is read from the JSON text", hint);
      }
      return new Picks(top, read.stream().map(FieldParser.Read::field).toList(), restName);
    }

    /** Every member may be missing. */
    Schema schema() {
      Schema schema = FieldParser.schema(fields, true);
      return rest.isEmpty() ? schema : schema.with(Column.of(rest, Type.Scalar.JSON));
    }

    JsonReading reading(Records records, List<Vector> columns, Rejects rejects) {
      return new JsonReading(top, fields, !rest.isEmpty(), records, columns, rejects);
    }
  }

  private JsonStep(Schema input, int from, Picks picks) {
    super(input, picks.schema(), from);
    this.picks = picks;
  }

  /** {@code json: {fields: {NAME: SPEC from PATH}, rest: NAME, from: FIELD}}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "json";
    }

    @Override
    public Form form() {
      return Form.keys(
              Form.with(
                  "fields",
                  Form.specs(),
                  "rest",
                  Form.text(),
                  "from",
                  Form.text().about("the field to read, if it is not the raw record")))
          .about("one JSON value; fields are members, or stand at a JSONPath");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int before = written.diagnostics().errors();
      Map<String, Written> entries = written.entries("json", List.of("fields", "rest", FROM));
      int from = from(entries, written, context);
      Picks picks = Picks.of(written, entries.get("fields"), entries.get("rest"), context);
      return List.of(
          written.diagnostics().errors() > before
              ? new Unfinished(context.input(), picks.schema())
              : new JsonStep(context.input(), from, picks));
    }
  }

  @Override
  protected Reading begin(Records records, List<Vector> columns, Rejects rejects) {
    return picks.reading(records, columns, rejects);
  }
}
