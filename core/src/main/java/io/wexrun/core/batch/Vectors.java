package io.wexrun.core.batch;

import io.wexrun.core.schema.Type;

/** Makes vectors for types. */
public final class Vectors {
  private Vectors() {}

  /** An empty vector that can hold a type's values, with room for some rows. */
  public static Vector forType(Type type, int room) {
    return switch (type.storage()) {
      case LONG -> new LongVector(room);
      case DOUBLE -> new DoubleVector(room);
      case TEXT -> new TextVector(room, room * 12);
      case LIST -> new ListVector(room, forType(((Type.ListOf) type).element(), room * 2));
      case STRUCT ->
          new StructVector(
              ((Type.Struct) type)
                  .fields().stream().map(field -> forType(field.type(), room)).toList());
    };
  }

  /** A vector of {@code size} absent values. */
  public static Vector absent(Type type, int size) {
    Vector vector = forType(type, size);
    for (int i = 0; i < size; i++) {
      vector.appendAbsent();
    }
    return vector;
  }
}
