package io.wexrun.sql;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.List;
import java.util.stream.Collectors;

/** How one kind of database writes tables. Without state; for several threads. */
public interface Dialect {
  /** A type in the database's words. */
  String type(Type type);

  /** The columns of a table in order, as the database spells them; none if there is no table. */
  List<StoredColumn> columns(Connection connection, String table) throws SQLException;

  /** What changes the type of a column, behind {@code alter table NAME}. */
  String retype(String column, String type);

  /** Whether no two rows of a table can have the same values in some columns. */
  boolean unique(Connection connection, String table, List<String> columns) throws SQLException;

  /** The statement that makes a table. */
  default String createTable(Table table) {
    return createTable(table.name(), table.schema().columns(), table.key());
  }

  /**
   * The statement that makes a table.
   *
   * @param key columns in whose values no two rows are the same; may be empty
   */
  default String createTable(String table, List<Column> columns, List<String> key) {
    return columns.stream()
        .map(
            column ->
                Names.name(column.name())
                    + " "
                    + type(column.type())
                    + (column.required() ? " not null" : ""))
        .collect(
            Collectors.joining(
                ", ",
                "create table " + Names.name(table) + " (",
                (key.isEmpty() ? "" : ", unique (" + Names.list(key) + ")") + ")"));
  }
}
