package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.OptionalInt;

/** Brings shaped rows to the columns of a table, by name. */
final class TableFit {
  /** The place of a column's field (-1 if none) and its default (a vector of one, or null). */
  private record Source(int place, Type type, Vector byDefault) {}

  private final Table table;
  private final List<Source> sources;

  private TableFit(Table table, List<Source> sources) {
    this.table = table;
    this.sources = sources;
  }

  /** Checks that the fields fit the columns; mistakes go to {@code diagnostics} at {@code path}. */
  static TableFit compile(
      Schema fields, Doubtful doubtful, Table table, KeyPath path, Diagnostics diagnostics) {
    List<Source> sources = new ArrayList<>();
    for (Column column : table.schema().columns()) {
      OptionalInt place = fields.find(column.name());
      Vector byDefault = byDefault(table, column);
      String where = "column '" + column.name() + "' of table '" + table.name() + "'";
      if (place.isEmpty()) {
        if (doubtful.mayBe(column.name(), fields.names())) {
          continue;
        }
        if (column.required() && byDefault == null) {
          diagnostics.error(
              "missing-column",
              path,
              where + " is required, but the shape gives no field of that name",
              Diagnostics.nearestOrKnown(
                  column.name(), fields.names(), all -> "the fields are " + all));
        } else if (byDefault == null) {
          diagnostics.warning(
              "empty-column",
              path,
              where + " is never filled: the shape gives no field of that name",
              Diagnostics.nearestOrKnown(
                  column.name(), fields.names(), all -> "the fields are " + all));
        }
        sources.add(new Source(-1, column.type(), byDefault));
        continue;
      }
      Type type = fields.column(place.getAsInt()).type();
      if (!type.mayFit(column.type())) {
        diagnostics.error(
            "type-clash",
            path,
            "field '"
                + column.name()
                + "' is "
                + type.withArticle()
                + ", but "
                + where
                + " is "
                + column.type().withArticle(),
            Optional.of(remedy(column, type)));
      }
      if (column.required() && !fields.column(place.getAsInt()).required() && byDefault == null) {
        diagnostics.warning(
            "may-be-absent",
            path,
            where + " is required, but the field may be absent; such records will die",
            Optional.of(
                "say so with '- require: ["
                    + column.name()
                    + "]', or give the column or the field a default"));
      }
      sources.add(new Source(place.getAsInt(), type, byDefault));
    }
    return new TableFit(table, sources);
  }

  private static String remedy(Column column, Type type) {
    return type == Type.Scalar.TEXT
        ? "read it as one: {" + column.name() + ":" + column.type() + "}"
        : "make the column " + type.withArticle() + ", or compute the field with set";
  }

  private static Vector byDefault(Table table, Column column) {
    String written = table.defaults().get(column.name());
    if (written == null) {
      return null;
    }
    Vector one = Vectors.forType(column.type(), 1);
    byte[] bytes = written.getBytes(StandardCharsets.UTF_8);
    ValueText.append(column.type(), bytes, 0, bytes.length, one);
    return one;
  }

  /** Rejects a row that the table would not take. */
  void check(Batch batch, int row, Rejects rejects) {
    for (int i = 0; i < sources.size(); i++) {
      Source source = sources.get(i);
      Column column = table.schema().column(i);
      if (source.place < 0) {
        continue;
      }
      Vector vector = batch.column(source.place);
      if (vector.absent(row)) {
        if (column.required() && source.byDefault == null) {
          String detail =
              "'" + column.name() + "' is absent, and table '" + table.name() + "' requires it";
          rejects.reject(batch.record(row), Reason.MISSING_FIELD, column.name(), detail);
        }
      } else if (column.type() == Type.Scalar.INT && source.type == Type.Scalar.LONG) {
        long value = ((LongVector) vector).get(row);
        if (value != (int) value) {
          String detail =
              value + " does not fit into the int column of table '" + table.name() + "'";
          rejects.reject(batch.record(row), Reason.BAD_VALUE, column.name(), detail);
        }
      }
    }
  }

  /** Whether no row can be rejected by {@link #check}, so that it need not be called. */
  boolean takesAll(Batch batch) {
    for (int i = 0; i < sources.size(); i++) {
      Source source = sources.get(i);
      Column column = table.schema().column(i);
      boolean narrows = column.type() == Type.Scalar.INT && source.type == Type.Scalar.LONG;
      boolean mayLack =
          source.place >= 0
              && column.required()
              && source.byDefault == null
              && batch.column(source.place).hasAbsent();
      if (narrows || mayLack) {
        return false;
      }
    }
    return true;
  }

  /** The same rows with the table's columns; vectors that fit as they are are shared. */
  Batch fit(Batch batch) {
    List<Vector> columns = new ArrayList<>();
    for (int i = 0; i < sources.size(); i++) {
      columns.add(column(batch, sources.get(i), table.schema().column(i).type()));
    }
    int[] recordOfRow = new int[batch.rows()];
    for (int row = 0; row < recordOfRow.length; row++) {
      recordOfRow[row] = batch.record(row);
    }
    return new Batch(
        table.schema(), columns, batch.rows(), batch.records().positionsOnly(), recordOfRow);
  }

  private static Vector column(Batch batch, Source source, Type type) {
    if (source.place < 0 && source.byDefault == null) {
      return Vectors.absent(type, batch.rows());
    }
    Vector vector =
        source.place < 0 ? Vectors.absent(type, batch.rows()) : batch.column(source.place);
    vector = Widening.of(vector, source.type, type);
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
