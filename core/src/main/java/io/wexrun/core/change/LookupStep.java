package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.reference.ReferenceTable;
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
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;
import java.util.function.Supplier;

/**
 * Adds columns from a reference table. A block sees the table as it was when the block's turn came:
 * one that changes is indexed anew between two blocks.
 */
public final class LookupStep implements Step {
  private record Indexed(ReferenceTable table, LookupIndex index) {}

  private final Schema output;
  private final List<FieldParser.Read> adds;
  private final LookupIndex.Keys keys;
  private final Supplier<ReferenceTable> reference;
  private final String missing;
  private volatile Indexed indexed;

  private LookupStep(
      Schema input,
      List<FieldParser.Read> adds,
      LookupIndex.Keys keys,
      Supplier<ReferenceTable> reference,
      String missing) {
    this.adds = adds;
    this.keys = keys;
    this.reference = reference;
    this.missing = missing;
    this.output = plus(input, adds);
    index();
  }

  private static Schema plus(Schema input, List<FieldParser.Read> adds) {
    Schema schema = input;
    for (FieldParser.Read add : adds) {
      schema = schema.with(Column.of(add.field().name(), add.field().type()));
    }
    return schema;
  }

  /**
   * {@code lookup: {file: NAME, equal: {COLUMN: FIELD}, add: {NAME: SPEC from COLUMN}}}, or {@code
   * table: NAME}; {@code network} and {@code latest} beside or instead of {@code equal}.
   */
  public static final class Kind implements StepKind {
    private static final List<String> KEYS =
        List.of("file", "table", "equal", "network", "latest", "add", "missing");

    @Override
    public String name() {
      return "lookup";
    }

    @Override
    public Form form() {
      return Form.keys(
              Form.with(
                  "file", Form.text(),
                  "table", Form.text(),
                  "equal", Form.map(Form.text()).about("columns that are equal to fields"),
                  "network", Form.map(Form.text()).about("the column with the network of a field"),
                  "latest",
                      Form.map(Form.text()).about("the column with the latest value not after"),
                  "add", Form.specs(),
                  "missing", Form.word("keep", "drop", "die")),
              "add")
          .about("adds columns from a reference table");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int before = written.diagnostics().errors();
      Map<String, Written> entries = written.entries("a lookup", KEYS);
      List<FieldParser.Read> adds = List.of();
      if (entries.containsKey("add")) {
        adds = FieldParser.fields(entries.get("add"), context.patterns());
      } else {
        written.error("missing-key", "a lookup needs 'add'", "name the columns to add");
      }
      String missing =
          entries.containsKey("missing")
              ? entries.get("missing").choice(List.of("keep", "drop", "die"))
              : "keep";
      List<LookupIndex.Pair> equal = pairs(entries, "equal", context);
      List<LookupIndex.Pair> network = pairs(entries, "network", context);
      List<LookupIndex.Pair> latest = pairs(entries, "latest", context);
      if (equal.size() + network.size() + latest.size() == 0
          && written.diagnostics().errors() == before) {
        String hint = "add equal: {COLUMN: FIELD}, network: {...} or latest: {...}";
        written.error("missing-key", "nothing says which row of the table belongs", hint);
      }
      if (network.size() + latest.size() > 1) {
        String message = "a lookup compares one network or one latest value, beside equal ones";
        written.error("wrong-form", message, "use two lookups");
      }
      checkTypes(network, latest, entries);
      List<Step> broken = List.of(new Unfinished(plus(context.input(), adds)));
      try {
        Supplier<ReferenceTable> reference = reference(written, entries, context);
        if (reference != null) {
          checkColumns(reference.get(), adds, entries);
        }
        if (reference == null || written.diagnostics().errors() > before) {
          return broken;
        }
        LookupIndex.Keys keys =
            new LookupIndex.Keys(
                equal,
                network.isEmpty() ? null : network.get(0),
                latest.isEmpty() ? null : latest.get(0));
        return List.of(new LookupStep(context.input(), adds, keys, reference, missing));
      } catch (OutsideException e) {
        Written at = entries.getOrDefault("file", entries.getOrDefault("table", written));
        // What is wrong stays so until somebody mends it; what is not there may still come.
        at.error(e.lasting() ? "bad-reference" : "missing-reference", e.getMessage(), "");
        return broken;
      }
    }

    private static Supplier<ReferenceTable> reference(
        Written written, Map<String, Written> entries, StepContext context) {
      if (entries.containsKey("file") == entries.containsKey("table")) {
        written.error("missing-key", "a lookup needs either 'file' or 'table'", "");
        return null;
      }
      return entries.containsKey("file")
          ? context.references().file(entries.get("file").text())
          : context.references().table(entries.get("table").text());
    }

    /** The columns and fields under a key. */
    private static List<LookupIndex.Pair> pairs(
        Map<String, Written> entries, String key, StepContext context) {
      List<LookupIndex.Pair> pairs = new ArrayList<>();
      if (entries.containsKey(key)) {
        entries
            .get(key)
            .entries()
            .forEach(
                (column, field) -> {
                  OptionalInt place = context.field(field);
                  if (place.isPresent()) {
                    Type type = context.input().column(place.getAsInt()).type();
                    pairs.add(new LookupIndex.Pair(column, place.getAsInt(), type));
                  }
                });
      }
      return pairs;
    }

    private static void checkTypes(
        List<LookupIndex.Pair> network,
        List<LookupIndex.Pair> latest,
        Map<String, Written> entries) {
      for (LookupIndex.Pair pair : network) {
        if (pair.type().storage() != Type.Storage.TEXT) {
          String message = "an address is text, not " + pair.type().withArticle();
          entries.get("network").error("type-clash", message, "");
        }
      }
      for (LookupIndex.Pair pair : latest) {
        if (pair.type().storage() != Type.Storage.LONG || pair.type() == Type.Scalar.BOOL) {
          String message = "there is no earlier or later for " + pair.type().withArticle();
          entries.get("latest").error("type-clash", message, "read it as a timestamp or number");
        }
      }
    }

    private static void checkColumns(
        ReferenceTable table, List<FieldParser.Read> adds, Map<String, Written> entries) {
      for (String key : List.of("equal", "network", "latest")) {
        if (entries.containsKey(key)) {
          entries.get(key).entries().keySet().forEach(c -> column(table, c, entries.get(key), c));
        }
      }
      for (FieldParser.Read add : adds) {
        String name = add.field().name();
        column(table, add.from().orElse(name), entries.get("add"), name);
      }
    }

    private static void column(ReferenceTable table, String column, Written map, String key) {
      if (!table.columns().contains(column)) {
        map.diagnostics()
            .keyError(
                "unknown-column",
                map.path().key(key),
                table.name() + " has no column '" + column + "'",
                Diagnostics.nearestOrKnown(
                    column, table.columns(), all -> "the columns are " + all));
      }
    }
  }

  @Override
  public Schema output() {
    return output;
  }

  private LookupIndex index() {
    ReferenceTable now = reference.get();
    Indexed known = indexed;
    if (known == null || known.table != now) {
      known = new Indexed(now, new LookupIndex(now, keys, adds));
      indexed = known;
    }
    return known.index;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    LookupIndex index = index();
    int rows = batch.rows();
    int[] found = new int[rows];
    List<Vector> fields = index.fields(batch);
    for (int row = 0; row < rows; row++) {
      found[row] = index.find(batch, fields, row);
      if (found[row] == LookupIndex.NONE && missing.equals("die")) {
        rejects.reject(batch.record(row), Reason.NO_LOOKUP, "", nothing(batch, row));
      } else if (found[row] == LookupIndex.NONE && missing.equals("drop")) {
        rejects.drop(batch.record(row));
      }
    }
    Map<String, Vector> columns = new LinkedHashMap<>();
    for (int i = 0; i < adds.size(); i++) {
      Vector from = index.added(i);
      Vector to = Vectors.forType(adds.get(i).field().type(), rows);
      for (int row = 0; row < rows; row++) {
        if (found[row] == LookupIndex.NONE) {
          to.appendAbsent();
        } else {
          to.appendFrom(from, found[row]);
        }
      }
      columns.put(adds.get(i).field().name(), to);
    }
    return batch.with(output, columns);
  }

  private String nothing(Batch batch, int row) {
    List<LookupIndex.Pair> pairs = new ArrayList<>(keys.equal());
    if (keys.network() != null) {
      pairs.add(keys.network());
    }
    if (keys.latest() != null) {
      pairs.add(keys.latest());
    }
    StringBuilder text = new StringBuilder("nothing in ").append(indexed.table.name());
    String separator = " for ";
    for (LookupIndex.Pair pair : pairs) {
      Vector field = batch.column(pair.place());
      String value =
          field.absent(row) ? "absent" : '"' + ValueText.text(pair.type(), field, row) + '"';
      text.append(separator).append(batch.schema().column(pair.place()).name());
      text.append(" ").append(value);
      separator = ", ";
    }
    return text.toString();
  }
}
