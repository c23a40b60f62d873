package io.wexrun.core.parse;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.JsonScanner;
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
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;

/**
 * Makes a row of each element of a list or a JSON array, with the values of the other fields beside
 * it. A record dies as a whole if one of its elements cannot be read.
 */
public final class UnfoldStep implements Step {
  private final Schema output;
  private final String name;
  private final int place;
  private final int[] kept;
  private final JsonStep.Picks picks;
  private final boolean keepsEmpty;

  private UnfoldStep(Schema input, int place, JsonStep.Picks picks, boolean keepsEmpty) {
    this.name = input.column(place).name();
    this.place = place;
    this.picks = picks;
    this.keepsEmpty = keepsEmpty;
    Schema parsed = picks.schema();
    List<Integer> others = new ArrayList<>();
    Schema schema = Schema.EMPTY;
    for (int i = 0; i < input.size(); i++) {
      if (i != place && parsed.find(input.column(i).name()).isEmpty()) {
        others.add(i);
        schema = schema.with(input.column(i));
      }
    }
    kept = others.stream().mapToInt(Integer::intValue).toArray();
    for (Column column : parsed.columns()) {
      schema = schema.with(column);
    }
    output = schema;
  }

  /**
   * {@code unfold: FIELD} or {@code {field: FIELD, fields: {NAME: SPEC from PATH}, empty: ...}}.
   */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "unfold";
    }

    @Override
    public Form form() {
      return Form.either(
              Form.text(),
              Form.keys(
                  Form.with(
                      "field", Form.text(),
                      "fields", Form.specs(),
                      "rest", Form.text(),
                      "empty", Form.word("keep", "drop")),
                  "field"))
          .about("a row for each element of a list or JSON array");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int before = written.diagnostics().errors();
      Map<String, Written> entries =
          written.isMap()
              ? written.entries("unfold", List.of("field", "fields", "rest", "empty"))
              : Map.of("field", written);
      Written name = entries.get("field");
      if (name == null) {
        written.error("missing-key", "unfold needs 'field'", "");
        return List.of();
      }
      OptionalInt place = context.field(name);
      if (place.isEmpty()) {
        return List.of();
      }
      Column column = context.input().column(place.getAsInt());
      JsonStep.Picks picks = element(column.name(), Type.Scalar.JSON);
      boolean picked = entries.containsKey("fields") || entries.containsKey("rest");
      if (column.type() instanceof Type.ListOf list) {
        picks = element(column.name(), list.element());
        if (picked) {
          String message = "'" + column.name() + "' is " + column.type().withArticle();
          String hint = "remove fields and rest: the elements are typed already";
          written.error("type-clash", message + ", not json", hint);
        }
      } else if (column.type() != Type.Scalar.JSON && column.type() != Type.Scalar.TEXT) {
        String message = "'" + column.name() + "' is " + column.type().withArticle();
        name.error("type-clash", message + ", which holds no array", "read it as json");
      }
      if (picked) {
        picks = JsonStep.Picks.of(written, entries.get("fields"), entries.get("rest"), context);
      }
      boolean keepsEmpty =
          !entries.containsKey("empty")
              || entries.get("empty").choice(List.of("keep", "drop")).equals("keep");
      UnfoldStep step = new UnfoldStep(context.input(), place.getAsInt(), picks, keepsEmpty);
      return List.of(
          written.diagnostics().errors() > before ? new Unfinished(step.output()) : step);
    }

    /** The element itself, under the array's name. */
    private static JsonStep.Picks element(String name, Type type) {
      JsonPick top = new JsonPick();
      top.add("$", 0);
      return new JsonStep.Picks(top, List.of(Field.of(name, type)), "");
    }
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    Vector arrays = batch.column(place);
    List<Vector> parsed = new ArrayList<>();
    for (Column column : picks.schema().columns()) {
      parsed.add(Vectors.forType(column.type(), batch.rows() * 2));
    }
    int[] sources = new int[batch.rows() * 2 + 8];
    int rows = 0;
    Elements elements = new Elements(batch.records(), parsed, rejects);
    BitSet left = new BitSet();
    for (int row = 0; row < batch.rows(); row++) {
      int record = batch.record(row);
      if (rejects.rejected(record)) {
        continue;
      }
      int count =
          arrays instanceof ListVector lists
              ? copy(lists, row, parsed.get(0))
              : elements.read((TextVector) arrays, row, record);
      if (count == 0 && keepsEmpty) {
        parsed.forEach(Vector::appendAbsent);
        count = 1;
      }
      if (rows + count > sources.length) {
        sources = Arrays.copyOf(sources, Math.max(sources.length * 2, rows + count));
      }
      Arrays.fill(sources, rows, rows + count, row);
      rows += count;
      left.set(record, left.get(record) || count > 0);
    }
    for (int row = 0; row < batch.rows(); row++) {
      if (!left.get(batch.record(row))) {
        rejects.drop(batch.record(row));
      }
    }
    return gather(batch, sources, rows, parsed);
  }

  /** Adds a row for each element of a list; how many they are. */
  private static int copy(ListVector lists, int row, Vector to) {
    if (lists.absent(row)) {
      return 0;
    }
    for (int i = lists.start(row); i < lists.end(row); i++) {
      to.appendFrom(lists.elements(), i);
    }
    return lists.end(row) - lists.start(row);
  }

  private Batch gather(Batch batch, int[] sources, int rows, List<Vector> parsed) {
    List<Vector> columns = new ArrayList<>();
    for (int i : kept) {
      Vector from = batch.column(i);
      Vector to = Vectors.forType(batch.schema().column(i).type(), rows);
      for (int row = 0; row < rows; row++) {
        to.appendFrom(from, sources[row]);
      }
      columns.add(to);
    }
    columns.addAll(parsed);
    int[] records = new int[rows];
    for (int row = 0; row < rows; row++) {
      records[row] = batch.record(sources[row]);
    }
    return new Batch(output, columns, rows, batch.records(), records);
  }

  /** Reads the elements of one array after the other. */
  private final class Elements {
    private final List<Vector> columns;
    private final Rejects rejects;
    private final JsonReading reading;
    private final JsonScanner scanner = new JsonScanner();

    Elements(Records records, List<Vector> columns, Rejects rejects) {
      this.columns = columns;
      this.rejects = rejects;
      this.reading = picks.reading(records, columns, rejects);
    }

    /** Adds a row for each element; how many they are, none if the record was rejected. */
    int read(TextVector arrays, int row, int record) {
      if (arrays.absent(row)) {
        return 0;
      }
      byte[] data = arrays.data();
      int to = arrays.end(row);
      scanner.over(data, to);
      int at = scanner.blanks(arrays.start(row));
      if (scanner.peek(at) != '[') {
        String what = Excerpt.of(data, at, to) + " is not an array";
        rejects.reject(record, Reason.BAD_VALUE, name, what);
        return 0;
      }
      int before = columns.get(0).size();
      at = scanner.blanks(at + 1);
      boolean ends = scanner.peek(at) == ']';
      while (!ends) {
        int end = scanner.skip(at, 1);
        int next = end == JsonScanner.FAULT ? end : scanner.next(end, false);
        if (next == JsonScanner.FAULT) {
          rejects.reject(record, Reason.NOT_JSON, name, scanner.fault());
        }
        if (next == JsonScanner.FAULT || !reading.read(data, at, end, record)) {
          columns.forEach(column -> column.truncate(Math.min(before, column.size())));
          return 0;
        }
        ends = data[next - 1] == ']';
        at = scanner.blanks(next);
      }
      return columns.get(0).size() - before;
    }
  }
}
