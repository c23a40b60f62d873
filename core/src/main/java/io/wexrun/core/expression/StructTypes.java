package io.wexrun.core.expression;

import com.google.common.collect.ImmutableCollection;
import com.google.common.collect.ImmutableList;
import com.google.common.collect.ImmutableSet;
import dev.cel.common.types.CelType;
import dev.cel.common.types.CelTypeProvider;
import dev.cel.common.types.StructType;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;

/**
 * The structs of a schema as types that the library checks members against, so that a misspelt one
 * in {@code cars.map(c, c.kwh)} is found before the run.
 */
final class StructTypes implements CelTypeProvider {
  private final Map<String, CelType> types = new LinkedHashMap<>();

  StructTypes(Schema schema) {
    schema.columns().forEach(column -> add(column.type()));
  }

  private void add(Type type) {
    if (type instanceof Type.ListOf list) {
      add(list.element());
    } else if (type instanceof Type.Struct struct) {
      types.put(name(struct), of(struct));
      struct.fields().forEach(field -> add(field.type()));
    }
  }

  /** Equal structs have one name. */
  private static String name(Type.Struct struct) {
    return "wexrun.Struct" + Integer.toHexString(struct.toString().hashCode());
  }

  /** A struct as a type of the library. */
  static StructType of(Type.Struct struct) {
    Schema fields = new Schema(struct.fields());
    return StructType.create(
        name(struct),
        ImmutableSet.copyOf(struct.fields().stream().map(Column::name).toList()),
        field ->
            fields.find(field).stream()
                .mapToObj(place -> Library.celType(Library.seen(fields.column(place).type())))
                .findFirst());
  }

  @Override
  public ImmutableCollection<CelType> types() {
    return ImmutableList.copyOf(types.values());
  }

  @Override
  public Optional<CelType> findType(String name) {
    return Optional.ofNullable(types.get(name));
  }
}
