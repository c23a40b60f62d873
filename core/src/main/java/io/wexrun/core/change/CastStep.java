package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;

/** Reads a field's values as another type: each as its text would be read. */
public final class CastStep implements Step {
  private final Schema output;
  private final int place;
  private final Type source;
  private final Field field;
  private final boolean dies;
  private final Vector otherwise;

  private CastStep(Schema input, int place, Field field, boolean dies, Vector otherwise) {
    this.place = place;
    this.source = input.column(place).type();
    this.field = field;
    this.dies = dies;
    this.otherwise = otherwise;
    boolean required =
        input.column(place).required() && !field.optional() && (dies || otherwise != null);
    this.output = input.with(new Column(field.name(), field.type(), required));
  }

  /**
   * {@code cast: {NAME: SPEC, NAME: {to: SPEC, else: die | absent}, NAME: {to: SPEC, default:
   * VALUE}}}.
   */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "cast";
    }

    @Override
    public Form form() {
      return Form.map(
              Form.either(
                  Form.text(),
                  Form.keys(
                      Form.with(
                          "to", Form.text(),
                          "else", Form.word("die", "absent"),
                          "default", Form.text()),
                      "to")))
          .about("fields and the types they are read as");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      List<Step> steps = new ArrayList<>();
      StepContext now = context;
      for (Map.Entry<String, Written> entry : written.entries().entrySet()) {
        OptionalInt place = now.fieldOfKey(entry.getKey(), entry.getValue());
        if (place.isPresent()) {
          steps.add(cast(entry.getKey(), place.getAsInt(), entry.getValue(), now));
          now = now.behind(steps.get(steps.size() - 1).output());
        }
      }
      return steps;
    }

    private static Step cast(String name, int place, Written written, StepContext context) {
      Map<String, Written> entries =
          written.isMap()
              ? written.entries("a cast", List.of("to", "else", "default"))
              : Map.of("to", written);
      Written to = entries.get("to");
      if (to == null) {
        written.error("missing-key", "a cast needs 'to'", "write a type there, as in to: int");
        return new Unfinished(context.input());
      }
      Field field =
          new FieldParser(to, "bad-field", context.patterns())
              .parse(name, false, to.text(), 0)
              .field();
      Type source = context.input().column(place).type();
      if (!mayCast(source, field.type())) {
        String message = "'" + name + "' is " + source.withArticle() + ", which is never ";
        to.error("type-clash", message + field.type().withArticle(), "");
      }
      boolean dies = true;
      if (entries.containsKey("else")) {
        dies = entries.get("else").choice(List.of("die", "absent")).equals("die");
      }
      Vector otherwise = null;
      if (entries.containsKey("default")) {
        dies = false;
        otherwise = single(field, entries.get("default"));
      }
      return new CastStep(context.input(), place, field, dies, otherwise);
    }

    /** Times and dates have no numbers, and numbers no times but those with an epoch format. */
    private static boolean mayCast(Type from, Type to) {
      boolean fromTime = from == Type.Scalar.TIMESTAMP || from == Type.Scalar.DATE;
      boolean toNumber =
          to == Type.Scalar.INT
              || to == Type.Scalar.LONG
              || to == Type.Scalar.DOUBLE
              || to instanceof Type.Decimal
              || to == Type.Scalar.BOOL;
      boolean fromBool = from == Type.Scalar.BOOL;
      if (from.nested()) {
        return to.nested() || to == Type.Scalar.TEXT || to == Type.Scalar.JSON;
      }
      if (to.nested()) {
        return from.storage() == Type.Storage.TEXT;
      }
      return !(fromTime && toNumber) && !(fromBool && toNumber && to != from);
    }
  }

  /** A vector of one value, read from what is written; null, with a complaint, if it is none. */
  static Vector single(Field field, Written written) {
    byte[] bytes = written.text().getBytes(StandardCharsets.UTF_8);
    Vector one = Vectors.forType(field.type(), 1);
    if (!field.append(bytes, 0, bytes.length, one, 0)) {
      written.error("bad-value", field.fault(bytes, 0, bytes.length), "");
      return null;
    }
    return one;
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Vector from = batch.column(place);
    Vector to = Vectors.forType(field.type(), batch.rows());
    TextVector texts = from instanceof TextVector t ? t : null;
    Casting casting = new Casting(batch.records(), to, rejects);
    for (int row = 0; row < batch.rows(); row++) {
      if (from.absent(row)) {
        to.appendAbsent();
      } else if (texts != null) {
        casting.cast(texts.data(), texts.start(row), texts.end(row), batch.record(row));
      } else {
        byte[] text = text(from, row).getBytes(StandardCharsets.UTF_8);
        casting.cast(text, 0, text.length, batch.record(row));
      }
    }
    return batch.with(output, place, to);
  }

  /** Whole doubles are written without a fraction, so that they can be whole numbers. */
  private String text(Vector from, int row) {
    String text = ValueText.text(source, from, row);
    boolean whole = source == Type.Scalar.DOUBLE && text.endsWith(".0");
    return whole ? text.substring(0, text.length() - 2) : text;
  }

  /** Adds the values of one batch. */
  private final class Casting {
    private final Records records;
    private final Vector vector;
    private final Rejects rejects;

    Casting(Records records, Vector vector, Rejects rejects) {
      this.records = records;
      this.vector = vector;
      this.rejects = rejects;
    }

    void cast(byte[] data, int from, int to, int record) {
      if (field.append(data, from, to, vector, records.written(record))) {
        return;
      }
      if (dies) {
        rejects.reject(record, Reason.BAD_VALUE, field.name(), field.fault(data, from, to));
      } else {
        rejects.defaulted();
      }
      if (otherwise == null) {
        vector.appendAbsent();
      } else {
        vector.appendFrom(otherwise, 0);
      }
    }
  }
}
