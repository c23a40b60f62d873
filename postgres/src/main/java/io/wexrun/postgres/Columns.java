package io.wexrun.postgres;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.sql.Names;
import io.wexrun.sql.StoredColumn;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;

/**
 * The columns of a table as they are, of which some may have other types than ours. Immutable.
 *
 * @param stored by name
 */
record Columns(Map<String, StoredColumn> stored) {
  static Columns of(Connection connection, String table) throws SQLException {
    Map<String, StoredColumn> stored = new HashMap<>();
    PostgresStore.DIALECT.columns(connection, table).forEach(c -> stored.put(c.name(), c));
    return new Columns(stored);
  }

  /** Whether the table has all columns that it had, as they were; it may have more. */
  boolean has(Columns before) {
    return stored.entrySet().containsAll(before.stored.entrySet());
  }

  /** Whether values can be sent in the binary forms of our types. */
  boolean binary(Schema schema) {
    return schema.columns().stream().allMatch(this::isOurs);
  }

  private boolean isOurs(Column column) {
    StoredColumn there = stored.get(column.name());
    return there == null
        || there.base().equals(PostgresStore.DIALECT.type(column.type()))
        || column.type() == Type.Scalar.TEXT && there.base().startsWith("character varying");
  }

  /** Expressions that give columns of a temporary table with our types to the table's. */
  String assigned(List<Column> columns) {
    return columns.stream()
        .map(column -> cast(Names.name(column.name()), column))
        .collect(Collectors.joining(", "));
  }

  /** The same of raw rows, in which texts are bytes. */
  String assignedRaw(List<Column> columns) {
    return columns.stream()
        .map(
            column -> {
              String name = Names.name(column.name());
              boolean json = column.type() == Type.Scalar.JSON;
              return json || column.type() == Type.Scalar.TEXT
                  ? cast("convert_from(" + name + ", 'UTF8')" + (json ? "::jsonb" : ""), column)
                  : cast(name, column);
            })
        .collect(Collectors.joining(", "));
  }

  private String cast(String value, Column column) {
    StoredColumn there = stored.get(column.name());
    boolean cast =
        there != null
            && StoredTypes.needsCast(there)
            && !there.base().equals(PostgresStore.DIALECT.type(column.type()));
    return cast ? value + "::" + there.type() : value;
  }
}
