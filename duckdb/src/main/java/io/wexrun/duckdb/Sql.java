package io.wexrun.duckdb;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.sql.Names;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;

/** Names and types as DuckDB writes them. */
final class Sql {
  private Sql() {}

  static String type(Type type) {
    if (type instanceof Type.Decimal decimal) {
      return "DECIMAL(" + decimal.precision() + "," + decimal.scale() + ")";
    }
    if (type instanceof Type.ListOf list) {
      return type(list.element()) + "[]";
    }
    if (type instanceof Type.Struct struct) {
      return struct.fields().stream()
          .map(field -> Names.name(field.name()) + " " + type(field.type()))
          .collect(Collectors.joining(", ", "STRUCT(", ")"));
    }
    return switch ((Type.Scalar) type) {
      case BOOL -> "BOOLEAN";
      case INT -> "INTEGER";
      case LONG -> "BIGINT";
      case DOUBLE -> "DOUBLE";
      case TEXT -> "VARCHAR";
      case BYTES -> "BLOB";
      case TIMESTAMP -> "TIMESTAMP WITH TIME ZONE";
      case DATE -> "DATE";
      case UUID -> "UUID";
      case JSON -> "JSON";
    };
  }

  /** The columns of a stream, each turned into the table's type where Arrow has none for it. */
  static String insert(Table table, String stream, Set<String> zoneless) {
    List<Column> columns = table.schema().columns();
    List<String> names = columns.stream().map(Column::name).toList();
    return "insert into "
        + Names.name(table.name())
        + " ("
        + Names.list(names)
        + ") "
        + select(columns, stream, zoneless)
        + (table.key().isEmpty() ? "" : Names.replacing(table.key(), names));
  }

  /** The same rows as a query, its columns with their names. */
  static String select(List<Column> columns, String stream) {
    return select(columns, stream, Set.of());
  }

  private static String select(List<Column> columns, String stream, Set<String> zoneless) {
    return columns.stream()
        .map(
            column ->
                value(column)
                    + (zoneless.contains(column.name()) ? " at time zone 'UTC'" : "")
                    + " as "
                    + Names.name(column.name()))
        .collect(Collectors.joining(", ", "select ", " from " + Names.name(stream)));
  }

  private static String value(Column column) {
    String name = Names.name(column.name());
    if (column.type() instanceof Type.Decimal decimal) {
      // The unscaled number; the division by a decimal power of ten is exact.
      return "("
          + name
          + "::DECIMAL(18,0) * "
          + java.math.BigDecimal.ONE.movePointLeft(decimal.scale()).toPlainString()
          + ")::"
          + type(decimal);
    }
    return turned(column.type()) ? name + "::" + type(column.type()) : name;
  }

  /** Whether Arrow holds the values, or some inside them, in another type than the table. */
  private static boolean turned(Type type) {
    if (type instanceof Type.ListOf list) {
      return turned(list.element());
    }
    if (type instanceof Type.Struct struct) {
      return struct.fields().stream().anyMatch(field -> turned(field.type()));
    }
    return type == Type.Scalar.UUID || type == Type.Scalar.JSON;
  }
}
