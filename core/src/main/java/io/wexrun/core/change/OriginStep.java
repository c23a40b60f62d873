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
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;

/**
 * Adds where a record comes from: its source, its position there, when it was taken, and what a
 * queue keeps beside its bytes.
 */
public final class OriginStep implements Step {
  private static final String HEADER = "header ";

  private enum What {
    SOURCE(Type.Scalar.TEXT),
    POSITION(Type.Scalar.LONG),
    TAKEN(Type.Scalar.TIMESTAMP),
    RAW(Type.Scalar.BYTES),
    KEY(Type.Scalar.BYTES),
    HEADER(Type.Scalar.TEXT);

    private final Type type;

    What(Type type) {
      this.type = type;
    }

    private boolean always() {
      return this == SOURCE || this == POSITION || this == RAW;
    }
  }

  /**
   * A part of where a record comes from.
   *
   * @param header which one; empty if it is none
   */
  private record Part(What what, String header) {}

  private final Schema output;
  private final Map<String, Part> parts;

  private OriginStep(Schema input, Map<String, Part> parts) {
    Schema schema = input;
    for (Map.Entry<String, Part> part : parts.entrySet()) {
      What what = part.getValue().what();
      schema = schema.with(new Column(part.getKey(), what.type, what.always()));
    }
    this.output = schema;
    this.parts = parts;
  }

  /** {@code origin: {NAME: source | position | taken | raw | key | header HEADER, ...}}. */
  public static final class Kind implements StepKind {
    private static final List<String> WORDS = List.of("source", "position", "taken", "raw", "key");

    @Override
    public String name() {
      return "origin";
    }

    @Override
    public Form form() {
      return Form.map(Form.text())
          .about(
              "adds where a record comes from: source, position, taken, raw, key, or header NAME");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Map<String, Part> parts = new LinkedHashMap<>();
      written
          .entries()
          .forEach(
              (name, part) ->
                  part.parsed(
                          Kind::part,
                          "source, position, taken, raw, key, or 'header' and the name of one")
                      .ifPresent(found -> parts.put(name, found)));
      return List.of(new OriginStep(context.input(), parts));
    }

    private static Optional<Part> part(String text) {
      String word = text.strip();
      if (word.startsWith(HEADER)) {
        return Optional.of(new Part(What.HEADER, word.substring(HEADER.length()).strip()));
      }
      return WORDS.contains(word)
          ? Optional.of(new Part(What.valueOf(word.toUpperCase(Locale.ROOT)), ""))
          : Optional.empty();
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
    return part.what() == What.POSITION || part.what() == What.TAKEN
        ? numbers(part, batch)
        : texts(part, batch);
  }

  private static Vector texts(Part part, Batch batch) {
    Records records = batch.records();
    TextVector texts = new TextVector(batch.rows(), batch.rows() * 24);
    byte[] source = records.source().getBytes(StandardCharsets.UTF_8);
    for (int row = 0; row < batch.rows(); row++) {
      int record = batch.record(row);
      Optional<byte[]> text =
          switch (part.what()) {
            case KEY -> records.key(record);
            case HEADER ->
                Optional.ofNullable(records.headers(record).get(part.header()))
                    .map(header -> header.getBytes(StandardCharsets.UTF_8));
            default -> Optional.of(source);
          };
      if (part.what() == What.RAW) {
        texts.append(records.data(), records.start(record), records.end(record));
      } else if (text.isPresent()) {
        texts.append(text.get(), 0, text.get().length);
      } else {
        texts.appendAbsent();
      }
    }
    return texts;
  }

  private static Vector numbers(Part part, Batch batch) {
    LongVector numbers = new LongVector(batch.rows());
    for (int row = 0; row < batch.rows(); row++) {
      long taken = batch.records().taken(batch.record(row));
      if (part.what() == What.POSITION) {
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
