package io.wexrun.core.shape;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;

/** Brings values to a type that they fit, see {@link Type#fits}. */
final class Widening {
  private Widening() {}

  /** The values as ones of type {@code to}; the same vector if that is how they are held. */
  static Vector of(Vector vector, Type from, Type to) {
    if (from.equals(to) || !from.nested() && from.storage() == to.storage()) {
      return vector;
    }
    Vector wide = Vectors.forType(to, vector.size());
    for (int row = 0; row < vector.size(); row++) {
      append(vector, from, row, wide, to);
    }
    return wide;
  }

  private static void append(Vector vector, Type from, int row, Vector wide, Type to) {
    if (vector.absent(row)) {
      wide.appendAbsent();
    } else if (from instanceof Type.ListOf list) {
      ListVector lists = (ListVector) vector;
      ListVector wideLists = (ListVector) wide;
      Type element = ((Type.ListOf) to).element();
      for (int i = lists.start(row); i < lists.end(row); i++) {
        append(lists.elements(), list.element(), i, wideLists.elements(), element);
      }
      wideLists.append();
    } else if (from instanceof Type.Struct struct) {
      Schema fields = new Schema(struct.fields());
      StructVector wideStructs = (StructVector) wide;
      Schema wanted = new Schema(((Type.Struct) to).fields());
      for (int i = 0; i < wanted.size(); i++) {
        int place = fields.find(wanted.column(i).name()).orElseThrow();
        Vector field = ((StructVector) vector).fields().get(place);
        Type type = fields.column(place).type();
        append(field, type, row, wideStructs.fields().get(i), wanted.column(i).type());
      }
      wideStructs.append();
    } else if (vector instanceof LongVector numbers && wide instanceof DoubleVector doubles) {
      doubles.append(numbers.get(row));
    } else {
      wide.appendFrom(vector, row);
    }
  }
}
