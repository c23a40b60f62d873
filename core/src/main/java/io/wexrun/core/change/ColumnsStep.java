package io.wexrun.core.change;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;

/** Chooses, orders and names fields; values are shared, not copied. */
public final class ColumnsStep implements Step {
  private final Schema output;
  private final int[] places;

  private ColumnsStep(Schema output, int[] places) {
    this.output = output;
    this.places = places;
  }

  private static ColumnsStep of(Schema input, int[] places) {
    List<Column> columns = Arrays.stream(places).mapToObj(input::column).toList();
    return new ColumnsStep(new Schema(columns), places);
  }

  private static int[] named(Written written, StepContext context) {
    return written.items().stream()
        .map(context::field)
        .filter(OptionalInt::isPresent)
        .mapToInt(OptionalInt::getAsInt)
        .distinct()
        .toArray();
  }

  /** {@code keep: [NAME, ...]}: these fields, in this order, and no others. */
  public static final class Keep implements StepKind {
    @Override
    public String name() {
      return "keep";
    }

    @Override
    public Form form() {
      return Form.list(Form.text()).about("the fields that are left, in this order");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      return List.of(ColumnsStep.of(context.input(), named(written, context)));
    }
  }

  /** {@code remove: [NAME, ...]}: all fields but these. */
  public static final class Remove implements StepKind {
    @Override
    public String name() {
      return "remove";
    }

    @Override
    public Form form() {
      return Form.list(Form.text()).about("the fields that go");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Set<Integer> gone = new HashSet<>();
      Arrays.stream(named(written, context)).forEach(gone::add);
      List<Integer> left = new ArrayList<>();
      for (int place = 0; place < context.input().size(); place++) {
        if (!gone.contains(place)) {
          left.add(place);
        }
      }
      int[] places = left.stream().mapToInt(Integer::intValue).toArray();
      return List.of(ColumnsStep.of(context.input(), places));
    }
  }

  /** {@code rename: {OLD: NEW, ...}}: all at once, so that two names can be exchanged. */
  public static final class Rename implements StepKind {
    @Override
    public String name() {
      return "rename";
    }

    @Override
    public Form form() {
      return Form.map(Form.text()).about("old names and new ones");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Map<Integer, Written> renamed = new HashMap<>();
      written
          .entries()
          .forEach(
              (old, entry) ->
                  context.fieldOfKey(old, entry).ifPresent(place -> renamed.put(place, entry)));
      Schema schema = Schema.EMPTY;
      for (int place = 0; place < context.input().size(); place++) {
        Column column = context.input().column(place);
        Written entry = renamed.get(place);
        String name = entry == null ? column.name() : entry.text();
        if (entry != null && !FieldParser.NAME.matcher(name).matches()) {
          entry.error("bad-name", "'" + name + "' is not a name", "use letters, digits and '_'");
          continue;
        }
        if (schema.find(name).isPresent()) {
          complain(name, entry, written);
          continue;
        }
        schema = schema.with(new Column(name, column.type(), column.required()));
      }
      int[] places = new int[context.input().size()];
      Arrays.setAll(places, i -> i);
      return List.of(
          schema.size() == places.length
              ? new ColumnsStep(schema, places)
              : new Unfinished(schema));
    }

    private static void complain(String name, Written entry, Written written) {
      Diagnostics diagnostics = written.diagnostics();
      diagnostics.error(
          "duplicate-name",
          entry == null ? written.path() : entry.path(),
          "two fields would be named '" + name + "'",
          Optional.of("remove or rename the other one"));
    }
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    List<Vector> columns = Arrays.stream(places).mapToObj(batch::column).toList();
    return batch.with(output, columns);
  }
}
