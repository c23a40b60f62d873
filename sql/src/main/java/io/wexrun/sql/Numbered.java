package io.wexrun.sql;

import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.List;

/** Rows with their numbers in a column of their own, counted from 0 through all parts. */
public final class Numbered {
  /** The column with the number; it comes behind the others. */
  public static final String COLUMN = "wexrun_row";

  private Numbered() {}

  /** A schema with the column. */
  public static Schema schema(Schema schema) {
    return schema.with(new Column(COLUMN, Type.Scalar.LONG, true));
  }

  /** Rows of a schema with their numbers. */
  public static List<Rows> rows(Schema schema, List<Rows> parts) {
    Schema numbered = schema(schema);
    List<Rows> all = new ArrayList<>();
    long number = 0;
    for (Rows part : parts) {
      LongVector numbers =
          (LongVector) Vectors.forType(Type.Scalar.LONG, Math.max(1, part.batch().rows()));
      int next = 0;
      int[] rows = new int[part.count()];
      for (int row = 0; row < part.batch().rows(); row++) {
        boolean chosen = next < part.count() && part.row(next) == row;
        numbers.append(chosen ? number++ : -1);
        if (chosen) {
          rows[next++] = row;
        }
      }
      List<Vector> columns = new ArrayList<>(part.batch().columns().subList(0, schema.size()));
      columns.add(numbers);
      all.add(Rows.of(part.batch().with(numbered, columns), rows, rows.length));
    }
    return all;
  }
}
