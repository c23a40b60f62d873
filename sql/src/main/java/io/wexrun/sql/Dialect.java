package io.wexrun.sql;

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

  /** The statement that makes a table. */
  default String createTable(String table, List<Column> columns) {
    return columns.stream()
        .map(
            column ->
                Names.name(column.name())
                    + " "
                    + type(column.type())
                    + (column.required() ? " not null" : ""))
        .collect(Collectors.joining(", ", "create table " + Names.name(table) + " (", ")"));
  }
}
