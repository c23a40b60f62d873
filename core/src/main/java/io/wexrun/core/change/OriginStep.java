package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.intake.Records;
import io.wexrun.core.path.PathFields;
import io.wexrun.core.pipeline.Settings;
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
  private static final String PATH = "path ";

  private enum What {
    SOURCE(Type.Scalar.TEXT),
    POSITION(Type.Scalar.LONG),
    TAKEN(Type.Scalar.TIMESTAMP),
    RAW(Type.Scalar.BYTES),
    KEY(Type.Scalar.BYTES),
    HEADER(Type.Scalar.TEXT),
    FILE(Type.Scalar.TEXT),
    LINE(Type.Scalar.LONG),
    HOST(Type.Scalar.TEXT),
    INTAKE(Type.Scalar.TEXT),
    PATH(Type.Scalar.TEXT);

    private final Type type;

    What(Type type) {
      this.type = type;
    }

    private boolean always() {
      return switch (this) {
        case SOURCE, POSITION, RAW, FILE, INTAKE -> true;
        case TAKEN, KEY, HEADER, LINE, HOST, PATH -> false;
      };
    }
  }

  /**
   * A part of where a record comes from.
   *
   * @param name which header, or which value of the path; empty if it is none
   */
  private record Part(What what, String name) {}

  private final Schema output;
  private final Map<String, Part> parts;
  private final String intake;
  private final PathFields paths;

  private OriginStep(Schema input, Map<String, Part> parts, String intake, PathFields paths) {
    this.intake = intake;
    this.paths = paths;
    Schema schema = input;
    for (Map.Entry<String, Part> part : parts.entrySet()) {
      What what = part.getValue().what();
      Type type = what.type;
      if (what == What.PATH) {
        type = paths.schema().column(place(part.getValue())).type();
      }
      schema = schema.with(new Column(part.getKey(), type, what.always()));
    }
    this.output = schema;
    this.parts = parts;
  }

  private int place(Part part) {
    return paths.schema().find(part.name()).orElseThrow();
  }

  /**
   * {@code origin: {NAME: PART, ...}}, where a part is {@code source}, {@code position}, {@code
   * taken}, {@code raw}, {@code file}, {@code line}, {@code host}, {@code intake}, {@code path
   * VALUE}, {@code key} or {@code header HEADER}.
   */
  public static final class Kind implements StepKind {
    private static final List<String> WORDS =
        List.of("source", "position", "taken", "raw", "file", "line", "host", "intake", "key");
    private static final String FORMS =
        "source, position, taken, raw, file, line, host, intake, key, 'path' and the name of a"
            + " value of the intake's path, or 'header' and the name of one";

    @Override
    public String name() {
      return "origin";
    }

    @Override
    public Form form() {
      return Form.map(Form.text()).about("adds where a record comes from: " + FORMS);
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Map<String, Part> parts = new LinkedHashMap<>();
      PathFields paths = PathFields.of(context.intake());
      written
          .entries()
          .forEach(
              (name, part) ->
                  part.parsed(Kind::part, FORMS)
                      .filter(found -> fits(found, part, paths, context))
                      .ifPresent(found -> parts.put(name, found)));
      return List.of(new OriginStep(context.input(), parts, context.intake().kind(), paths));
    }

    private static boolean fits(Part part, Written at, PathFields paths, StepContext context) {
      if (part.what() == What.PATH && paths.schema().find(part.name()).isEmpty()) {
        at.error(
            "unknown-field",
            "the intake's path has no value '" + part.name() + "'",
            context.intake().values().containsKey(Settings.QUEUE)
                ? "what came with a record is in its headers: write header " + part.name()
                : paths.schema().size() == 0
                    ? "name it there, such as logs/{" + part.name() + "}/*.log"
                    : "its values are " + String.join(", ", paths.schema().names()));
        return false;
      }
      if (part.what() == What.LINE
          && !context.intake().text("line-numbers").orElse("").equals("true")) {
        at.error("missing-key", "the intake counts no lines", "add line-numbers: true to it");
        return false;
      }
      return true;
    }

    private static Optional<Part> part(String text) {
      String word = text.strip();
      if (word.startsWith(HEADER)) {
        return Optional.of(new Part(What.HEADER, word.substring(HEADER.length()).strip()));
      } else if (word.startsWith(PATH)) {
        return Optional.of(new Part(What.PATH, word.substring(PATH.length()).strip()));
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

  private Vector column(Part part, Batch batch) {
    return switch (part.what()) {
      case POSITION, TAKEN, LINE -> numbers(part, batch);
      case PATH -> value(part, batch);
      default -> texts(part, batch);
    };
  }

  private Vector value(Part part, Batch batch) {
    Vector one = paths.values(batch.records().source()).column(place(part));
    Vector all = Vectors.forType(paths.schema().column(place(part)).type(), batch.rows());
    for (int row = 0; row < batch.rows(); row++) {
      all.appendFrom(one, 0);
    }
    return all;
  }

  private String text(What what, Records records) {
    return switch (what) {
      case FILE -> {
        String file = PathFields.file(records.source());
        yield records.member().isEmpty() ? file : file + "!" + records.member();
      }
      case HOST -> records.host();
      case INTAKE -> intake;
      default -> records.source();
    };
  }

  private Vector texts(Part part, Batch batch) {
    Records records = batch.records();
    TextVector texts = new TextVector(batch.rows(), batch.rows() * 24);
    byte[] same = text(part.what(), records).getBytes(StandardCharsets.UTF_8);
    for (int row = 0; row < batch.rows(); row++) {
      int record = batch.record(row);
      Optional<byte[]> text =
          switch (part.what()) {
            case KEY -> records.key(record);
            case HEADER ->
                Optional.ofNullable(records.headers(record).get(part.name()))
                    .map(header -> header.getBytes(StandardCharsets.UTF_8));
            default -> Optional.of(same);
          };
      if (part.what() == What.RAW) {
        texts.append(records.data(), records.start(record), records.end(record));
      } else if (text.isPresent() && !(part.what() == What.HOST && same.length == 0)) {
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
      int record = batch.record(row);
      long number =
          switch (part.what()) {
            case POSITION -> batch.records().firstPosition(record);
            case LINE -> batch.records().line(record);
            default -> batch.records().taken(record);
          };
      if (number == 0 && part.what() != What.POSITION) {
        numbers.appendAbsent();
      } else {
        numbers.append(number);
      }
    }
    return numbers;
  }
}
