package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * What an expression may name: a field, or a value inside structs, as in {@code position.lat}.
 *
 * @param places the field's place in the schema, then in each struct
 * @param column the type that is held
 * @param type the type that expressions see
 */
record FieldPath(List<Integer> places, Type column, Type type) {

  /** All that can be named in a schema; structs are named by what they hold. */
  static Map<String, FieldPath> all(Schema schema) {
    Map<String, FieldPath> paths = new LinkedHashMap<>();
    for (int place = 0; place < schema.size(); place++) {
      Column column = schema.column(place);
      add(column.name(), column.type(), List.of(place), paths);
    }
    return paths;
  }

  private static void add(
      String name, Type type, List<Integer> places, Map<String, FieldPath> paths) {
    if (!(type instanceof Type.Struct struct)) {
      paths.put(name, new FieldPath(places, type, Library.seen(type)));
      return;
    }
    for (int i = 0; i < struct.fields().size(); i++) {
      Integer[] inside = Arrays.copyOf(places.toArray(Integer[]::new), places.size() + 1);
      inside[places.size()] = i;
      Column field = struct.fields().get(i);
      add(name + "." + field.name(), field.type(), List.of(inside), paths);
    }
  }

  /** The values in a batch. */
  Vector in(Batch batch) {
    Vector vector = batch.column(places.get(0));
    for (int i = 1; i < places.size(); i++) {
      vector = ((StructVector) vector).fields().get(places.get(i));
    }
    return vector;
  }
}
