package io.wexrun.core.parse;

import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.Field;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;

/** Reads lines by a template, or by the first of several that fits. */
public final class TemplateStep extends ParseStep {
  private final List<Layout> layouts;
  private final Schema fields;
  private final List<String> paths;

  private TemplateStep(
      Schema input, Schema fields, int from, List<Layout> layouts, List<String> paths) {
    super(input, fields, from);
    this.layouts = layouts;
    this.fields = fields;
    this.paths = paths;
  }

  /** {@code template: TEXT}, {@code template: [TEXT, ...]} or {@code {lines: ..., from: FIELD}}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "template";
    }

    @Override
    public Form form() {
      return Form.either(
              Form.list(Form.text()),
              Form.keys(
                  Form.with(
                      "lines",
                      Form.list(Form.text()),
                      "from",
                      Form.text().about("the field to read, if it is not the raw record")),
                  "lines"))
          .about("layouts of text lines; the first that fits takes the record");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Map<String, Written> entries =
          written.isMap()
              ? written.entries("a template", List.of("lines", FROM))
              : Map.of("lines", written);
      int before = written.diagnostics().errors();
      int from = from(entries, written, context);
      Written lines = entries.get("lines");
      if (lines == null) {
        written.error("missing-key", "a template needs 'lines'", "");
        return List.of();
      }
      List<List<Object>> templates = new ArrayList<>();
      List<String> paths = new ArrayList<>();
      Schema fields = Schema.EMPTY;
      for (Written line : lines.items()) {
        for (List<Object> pieces : new TemplateParser(line, context.patterns()).parse()) {
          fields = join(fields, pieces, templates.isEmpty(), line);
          templates.add(pieces);
          paths.add(line.path().toString());
        }
      }
      if (written.diagnostics().errors() > before) {
        return List.of(new Unfinished(context.input(), fields));
      }
      List<Layout> layouts = templates.stream().map(Layout::new).toList();
      return List.of(new TemplateStep(context.input(), fields, from, layouts, paths));
    }

    /** The fields of the templates so far and one more: what not all of them have may be absent. */
    private static Schema join(Schema sofar, List<Object> pieces, boolean first, Written at) {
      Schema own = Schema.EMPTY;
      for (Object piece : pieces) {
        if (piece instanceof Field field && !field.skipped()) {
          own = own.with(new Column(field.name(), field.type(), !field.optional()));
        }
      }
      if (first) {
        return own;
      }
      Schema joined = Schema.EMPTY;
      for (Column column : sofar.columns()) {
        OptionalInt there = own.find(column.name());
        boolean required =
            column.required() && there.isPresent() && own.column(there.getAsInt()).required();
        joined = joined.with(new Column(column.name(), column.type(), required));
      }
      for (Column column : own.columns()) {
        OptionalInt there = joined.find(column.name());
        if (there.isEmpty()) {
          joined = joined.with(Column.of(column.name(), column.type()));
        } else if (!joined.column(there.getAsInt()).type().equals(column.type())) {
          String other = joined.column(there.getAsInt()).type().withArticle();
          String message =
              "'" + column.name() + "' is " + column.type().withArticle() + " here, but " + other;
          at.error("type-clash", message + " in a template before", "give both the same type");
        }
      }
      return joined;
    }
  }

  @Override
  protected Reading begin(Records records, List<Vector> columns, Rejects rejects) {
    int[] stopped = new int[2];
    if (layouts.size() == 1) {
      Layout layout = layouts.get(0);
      Vector[] byPart = layout.byPart(columns);
      return (data, from, to, record) -> {
        int code = layout.read(data, from, to, byPart, records.written(record), stopped);
        if (code != Layout.FITS) {
          layout.reject(code, stopped, data, from, to, record, rejects);
        }
        return code == Layout.FITS;
      };
    }
    return new Several(records, columns, rejects);
  }

  /** Tries the layouts in order. If none fits, the one that came furthest says why. */
  private final class Several implements Reading {
    private final Records records;
    private final List<Vector> columns;
    private final Rejects rejects;
    private final List<Vector[]> byPart = new ArrayList<>();
    private final long[] fitted = new long[layouts.size()];

    Several(Records records, List<Vector> columns, Rejects rejects) {
      this.records = records;
      this.columns = columns;
      this.rejects = rejects;
      for (Layout layout : layouts) {
        byPart.add(
            layout.byPart(
                layout.fields().stream()
                    .map(field -> columns.get(fields.find(field.name()).orElseThrow()))
                    .toList()));
      }
    }

    @Override
    public boolean read(byte[] data, int from, int to, int record) {
      int rows = columns.get(0).size();
      long written = records.written(record);
      int[] furthest = null;
      int best = 0;
      int why = 0;
      for (int i = 0; i < fitted.length; i++) {
        int[] stopped = new int[2];
        int code = layouts.get(i).read(data, from, to, byPart.get(i), written, stopped);
        if (code == Layout.FITS) {
          fitted[i]++;
          fill(rows);
          return true;
        }
        for (Vector column : columns) {
          column.truncate(Math.min(rows, column.size()));
        }
        if (furthest == null || stopped[0] > furthest[0]) {
          furthest = stopped;
          best = i;
          why = code;
        }
      }
      rejects.step(paths.get(best));
      layouts.get(best).reject(why, furthest, data, from, to, record, rejects);
      return false;
    }

    private void fill(int rows) {
      for (Vector column : columns) {
        if (column.size() == rows) {
          column.appendAbsent();
        }
      }
    }

    @Override
    public void end() {
      for (int i = 0; i < fitted.length; i++) {
        rejects.fitted(paths.get(i), fitted[i]);
      }
    }
  }
}
