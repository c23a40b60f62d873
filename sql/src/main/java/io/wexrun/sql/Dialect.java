package io.wexrun.sql;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/** How one kind of database writes tables. Without state; for several threads. */
public interface Dialect {
  /** A type in the database's words. */
  String type(Type type);

  /** The type of a column as the database spells it; empty if no type of ours is kept so. */
  Optional<Type> read(String stored);

  /** The type of a column that is there in our types; empty if values of none are kept so. */
  default Optional<Type> read(StoredColumn column) {
    return read(column.type());
  }

  /**
   * Whether a column holds every value of a type, or refuses it.
   *
   * @return what happens at the edges, for people; an empty text if all values are held; no result
   *     if values would change
   */
  default Optional<String> holds(Type type, StoredColumn column) {
    return Optional.empty();
  }

  /** The columns that a definition gives, as the database itself spells them. */
  List<StoredColumn> defined(Connection connection, Table table) throws SQLException;

  /** Whether two names that differ only in their case are one. */
  default boolean foldsCase() {
    return false;
  }

  /** The columns of a table in order, as the database spells them; none if there is no table. */
  List<StoredColumn> columns(Connection connection, String table) throws SQLException;

  /** What changes the type of a column, behind {@code alter table NAME}. */
  String retype(String column, String type);

  /** Whether no two rows of a table can have the same values in some columns. */
  boolean unique(Connection connection, String table, List<String> columns) throws SQLException;

  /** The constraints of a table that can be asked of rows before they are inserted. */
  List<Constraint> constraints(Connection connection, String table) throws SQLException;

  /** The type of texts of so many characters at most. */
  default String text(int length) {
    return type(Type.Scalar.TEXT);
  }

  /** The statement that makes a table. */
  default String createTable(Table table) {
    List<String> lines =
        new ArrayList<>(
            table.schema().columns().stream().map(column -> column(table, column)).toList());
    if (!table.key().isEmpty()) {
      lines.add("unique (" + Names.list(table.key()) + ")");
    }
    return "create table "
        + Names.name(table.name())
        + " (\n  "
        + String.join(",\n  ", lines)
        + "\n)";
  }

  /** A column as it stands in the statement that makes its table. */
  private String column(Table table, Column column) {
    return Names.name(column.name())
        + " "
        + typeOf(table, column)
        + (column.required() ? " not null" : "");
  }

  /** The type of a column of a table. */
  default String typeOf(Table table, Column column) {
    Integer length = table.details().lengths().get(column.name());
    return length == null ? type(column.type()) : text(length);
  }

  /** The statements that say what a table and its columns are, for people. */
  default List<String> comments(Table table) {
    List<String> statements = new ArrayList<>();
    if (!table.details().about().isEmpty()) {
      statements.add(
          "comment on table "
              + Names.name(table.name())
              + " is "
              + Names.text(table.details().about()));
    }
    for (Column column : table.schema().columns()) {
      String comment = table.details().comments().get(column.name());
      if (comment != null) {
        statements.add(
            "comment on column "
                + Names.name(table.name())
                + "."
                + Names.name(column.name())
                + " is "
                + Names.text(comment));
      }
    }
    return statements;
  }

  /** All statements that make a table, for people. */
  default String ddl(Table table) {
    List<String> statements = new ArrayList<>(List.of(createTable(table)));
    statements.addAll(comments(table));
    return String.join(";\n", statements) + ";";
  }
}
