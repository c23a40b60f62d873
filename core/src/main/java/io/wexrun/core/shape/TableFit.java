package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.expression.Evaluated;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Brings shaped rows to the columns of a table: by name, or as the table computes them. */
final class TableFit {
  /**
   * Where a column comes from.
   *
   * @param type of the field or of what is computed
   * @param place of its field; -1 if it has none
   * @param expression that computes it; null if none does
   * @param longest the most characters of a text
   * @param byDefault a vector of one; null if there is no default
   * @param origin the column of the record's origin that it is; empty if it is none
   */
  private record Source(
      int place, Expression expression, Type type, int longest, Vector byDefault, String origin) {
    boolean empty() {
      return place < 0 && expression == null && origin.isEmpty();
    }
  }

  /** The length of texts that may have any. */
  private static final int ANY = Integer.MAX_VALUE;

  private final Table table;
  private final Schema schema;
  private final List<Source> sources;
  private final List<String> onLibrary;
  private final NewFields newFields;

  private TableFit(
      Table table,
      Schema schema,
      List<Source> sources,
      List<String> onLibrary,
      NewFields newFields) {
    this.table = table;
    this.schema = schema;
    this.sources = sources;
    this.onLibrary = onLibrary;
    this.newFields = newFields;
  }

  /** Checks that the fields fit the columns; mistakes go to {@code diagnostics} at {@code path}. */
  static TableFit compile(
      Schema fields, Doubtful doubtful, Table table, KeyPath path, Diagnostics diagnostics) {
    Fitting fitting = new Fitting(fields, doubtful, table, path, diagnostics);
    for (Wanted wanted : Wanted.of(table)) {
      fitting.add(wanted);
    }
    return new TableFit(
        table,
        fitting.schema,
        fitting.sources,
        fitting.onLibrary,
        NewFields.of(table, fields, doubtful, path, diagnostics));
  }

  /** Finds where columns come from. For one thread. */
  private static final class Fitting {
    private final Schema fields;
    private final Doubtful doubtful;
    private final Table table;
    private final KeyPath path;
    private final Diagnostics diagnostics;
    private final Expressions expressions;
    private final List<Source> sources = new ArrayList<>();
    private final List<String> onLibrary = new ArrayList<>();
    private Schema schema = Schema.EMPTY;

    Fitting(Schema fields, Doubtful doubtful, Table table, KeyPath path, Diagnostics diagnostics) {
      this.fields = fields;
      this.doubtful = doubtful;
      this.table = table;
      this.path = path;
      this.diagnostics = diagnostics;
      this.expressions = new Expressions(fields, doubtful);
    }

    void add(Wanted wanted) {
      if (OriginColumns.is(wanted.column()) && OriginColumns.in(table)) {
        schema = schema.with(Column.of(wanted.column(), Type.Scalar.LONG));
        sources.add(new Source(-1, null, Type.Scalar.LONG, ANY, null, wanted.column()));
        return;
      }
      String where = "column '" + wanted.column() + "' of table '" + table.name() + "'";
      Optional<Source> source =
          fields.find(wanted.from()).isPresent()
              ? Optional.of(field(fields.find(wanted.from()).getAsInt()))
              : wanted.computed() ? computed(wanted, where) : Optional.of(nothing(wanted, where));
      if (source.isEmpty()) {
        return;
      }
      Source from = source.get();
      Type type = from.empty() ? wanted.type().orElse(Type.Scalar.TEXT) : from.type;
      Optional<String> fault = from.empty() ? Optional.empty() : wanted.fault(type);
      if (fault.isPresent()) {
        boolean plain = !wanted.computed();
        diagnostics.error(
            "type-clash",
            path,
            (plain ? "field '" + wanted.from() + "'" : "'" + wanted.from() + "'")
                + " is "
                + type.withArticle()
                + ", but "
                + (wanted.type().isPresent()
                    ? where + " is " + wanted.type().get().withArticle()
                    : where + " needs " + fault.get()),
            plain ? Optional.of(remedy(wanted, type)) : Optional.empty());
        return;
      }
      Vector byDefault = byDefault(wanted);
      if (wanted.required() && mayLack(from) && byDefault == null) {
        diagnostics.warning(
            "may-be-absent",
            path,
            where + " is required, but the field may be absent; such records will die",
            Optional.of(
                "say so with '- require: ["
                    + wanted.from()
                    + "]', or give the column or the field a default"));
      }
      schema =
          schema.with(new Column(wanted.column(), wanted.type().orElse(type), wanted.required()));
      sources.add(
          new Source(
              from.place, from.expression, type, wanted.longest().orElse(ANY), byDefault, ""));
    }

    /** Whether a field that is not known to be there fills a column. */
    private boolean mayLack(Source from) {
      return from.place >= 0 && !fields.column(from.place).required();
    }

    private Source field(int place) {
      return new Source(place, null, fields.column(place).type(), ANY, null, "");
    }

    /** A column that no field fills. */
    private Source nothing(Wanted wanted, String where) {
      // That the field with what is new is missing is told for itself.
      boolean told =
          doubtful.mayBe(wanted.column(), fields.names())
              || table.schema().find(wanted.column()).isEmpty();
      Optional<String> hint =
          Diagnostics.nearestOrKnown(
              wanted.column(), fields.names(), all -> "the fields are " + all);
      if (!told && wanted.byDefault().isEmpty()) {
        String what = ", but the shape gives no field of that name";
        if (wanted.required()) {
          diagnostics.error("missing-column", path, where + " is required" + what, hint);
        } else {
          diagnostics.warning(
              "empty-column",
              path,
              where + " is never filled: the shape gives no field of that name",
              hint);
        }
      }
      return new Source(-1, null, null, ANY, null, "");
    }

    /** What is wrong with an expression is told where the route names the table. */
    private Optional<Source> computed(Wanted wanted, String where) {
      Diagnostics own = Diagnostics.of("a column");
      Optional<Expression> expression = expressions.compile(wanted.from(), KeyPath.ROOT, own);
      own.all()
          .forEach(
              fault ->
                  diagnostics.error(
                      fault.code(),
                      path,
                      where + " is computed from '" + wanted.from() + "': " + fault.message(),
                      fault.hint()));
      expression.ifPresent(
          found -> found.onLibrary().forEach(part -> onLibrary.add(where + ": " + part)));
      return expression.map(found -> new Source(-1, found, found.type(), ANY, null, ""));
    }

    private static String remedy(Wanted wanted, Type type) {
      return type == Type.Scalar.TEXT
          ? "read it as one: {"
              + wanted.from()
              + ":"
              + wanted.type().map(Type::toString).orElse("double")
              + "}"
          : "make the column " + type.withArticle() + ", or compute the field with set";
    }

    private static Vector byDefault(Wanted wanted) {
      if (wanted.byDefault().isEmpty()) {
        return null;
      }
      Type type = wanted.type().orElseThrow();
      Vector one = Vectors.forType(type, 1);
      byte[] bytes = wanted.byDefault().get().getBytes(StandardCharsets.UTF_8);
      ValueText.append(type, bytes, 0, bytes.length, one);
      return one;
    }
  }

  /** The parts of computed columns that run row by row on the expression library. */
  List<String> onLibrary() {
    return onLibrary;
  }

  boolean isRollup() {
    return table.rollup().isPresent();
  }

  /** The columns in which rows come to the table's target. */
  Schema schema() {
    return schema;
  }

  /** Computes what the table computes; the same rows go on. */
  Fitted fit(Batch batch) {
    List<Evaluated> values = new ArrayList<>();
    for (Source source : sources) {
      values.add(
          !source.origin.isEmpty()
              ? new Evaluated(origin(batch, source.origin), null)
              : source.expression != null
                  ? source.expression.evaluate(batch)
                  : source.place >= 0 ? new Evaluated(batch.column(source.place), null) : null);
    }
    return new Fitted(this, batch, values);
  }

  private static LongVector origin(Batch batch, String column) {
    LongVector numbers = new LongVector(batch.rows());
    boolean position = column.equals(OriginColumns.POSITION);
    long source = position ? 0 : OriginColumns.id(batch.records().source());
    for (int row = 0; row < batch.rows(); row++) {
      numbers.append(position ? batch.records().firstPosition(batch.record(row)) : source);
    }
    return numbers;
  }

  /**
   * The rows of a batch on their way to the table.
   *
   * @param values of each column; null where it has no source
   */
  record Fitted(TableFit fit, Batch batch, List<Evaluated> values) {
    /** Counts the values of fields that the table has no columns for, if it ignores them. */
    void countIgnored(int[] rows, int count, Map<String, Long> ignored) {
      fit.newFields.count(batch, rows, count, ignored);
    }

    /** Rejects a row that the table would not take. */
    void check(int row, Rejects rejects) {
      fit.newFields.check(batch, row, rejects);
      for (int i = 0; i < values.size(); i++) {
        Evaluated value = values.get(i);
        if (value == null) {
          continue;
        }
        Source source = fit.sources.get(i);
        Column column = fit.schema.column(i);
        int record = batch.record(row);
        if (value.failed(row)) {
          rejects.reject(record, Reason.FAILED_EXPRESSION, column.name(), value.failure(row));
        } else if (value.values().absent(row)) {
          if (column.required() && source.byDefault == null) {
            String detail =
                "'" + column.name() + "' is absent, and table '" + name() + "' requires it";
            rejects.reject(record, Reason.MISSING_FIELD, column.name(), detail);
          }
        } else if (narrows(i)) {
          long number = ((LongVector) value.values()).get(row);
          if (number != (int) number) {
            String detail = number + " does not fit into the int column of table '" + name() + "'";
            rejects.reject(record, Reason.BAD_VALUE, column.name(), detail);
          }
        } else if (source.longest != ANY) {
          TextVector texts = (TextVector) value.values();
          int length = Utf8.length(texts.data(), texts.start(row), texts.end(row));
          if (length > source.longest) {
            String detail =
                Counted.of(length, "character")
                    + ", and the column of table '"
                    + name()
                    + "' takes "
                    + source.longest;
            rejects.reject(record, Reason.BAD_VALUE, column.name(), detail);
          }
        }
      }
    }

    private String name() {
      return fit.table.name();
    }

    private boolean narrows(int column) {
      return fit.schema.column(column).type() == Type.Scalar.INT
          && fit.sources.get(column).type == Type.Scalar.LONG;
    }

    /** Whether no row can be rejected by {@link #check}, so that it need not be called. */
    boolean takesAll() {
      if (fit.newFields.mayReject()) {
        return false;
      }
      for (int i = 0; i < values.size(); i++) {
        Evaluated value = values.get(i);
        boolean mayLack =
            value != null
                && fit.schema.column(i).required()
                && fit.sources.get(i).byDefault == null
                && value.values().hasAbsent();
        boolean mayFail = value != null && value.failures() != null;
        boolean mayBeLong = value != null && fit.sources.get(i).longest != ANY;
        if (narrows(i) || mayLack || mayFail || mayBeLong) {
          return false;
        }
      }
      return true;
    }

    /** The same rows with the table's columns; vectors that fit as they are are shared. */
    Batch rows() {
      List<Vector> columns = new ArrayList<>();
      for (int i = 0; i < values.size(); i++) {
        columns.add(column(values.get(i), fit.sources.get(i), fit.schema.column(i).type()));
      }
      int[] recordOfRow = new int[batch.rows()];
      for (int row = 0; row < recordOfRow.length; row++) {
        recordOfRow[row] = batch.record(row);
      }
      return new Batch(
          fit.schema, columns, batch.rows(), batch.records().positionsOnly(), recordOfRow);
    }

    private Vector column(Evaluated value, Source source, Type type) {
      if (value == null && source.byDefault == null) {
        return Vectors.absent(type, batch.rows());
      }
      Vector vector =
          value == null
              ? Vectors.absent(type, batch.rows())
              : Widening.of(value.values(), source.type, type);
      if (source.byDefault == null || !vector.hasAbsent()) {
        return vector;
      }
      Vector filled = Vectors.forType(type, batch.rows());
      for (int row = 0; row < batch.rows(); row++) {
        boolean absent = vector.absent(row);
        filled.appendFrom(absent ? source.byDefault : vector, absent ? 0 : row);
      }
      return filled;
    }
  }
}
