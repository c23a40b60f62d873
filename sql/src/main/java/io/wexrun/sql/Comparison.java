package io.wexrun.sql;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.target.TableDifference;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Compares tables in a database with their definitions. Columns may stand in another order, and
 * there may be more of them, if they need no value. For several threads.
 */
public record Comparison(Dialect dialect) {
  /**
   * Compares a table with its definition. Changes nothing.
   *
   * @return empty if there is no such table, or if rows by the definition can be loaded into it
   */
  public Optional<TableDifference> of(Connection connection, Table table) throws SQLException {
    List<StoredColumn> there = dialect.columns(connection, table.name());
    if (there.isEmpty()) {
      return Optional.empty();
    }
    List<StoredColumn> defined = defined(connection, table);
    boolean keyed = table.key().isEmpty() || dialect.unique(connection, table.name(), table.key());
    return difference(table, there, defined, keyed);
  }

  /**
   * Makes a table, or gives it the columns that it lacks, if its definition says so.
   *
   * @param store for messages
   * @throws OutsideException if the table is not there and must not be made
   */
  public void manage(Connection connection, Table table, Object store) throws SQLException {
    List<StoredColumn> there = dialect.columns(connection, table.name());
    try (Statement statement = connection.createStatement()) {
      if (there.isEmpty() && table.manage() == Table.Manage.NEVER) {
        throw OutsideException.lasting(
            "there is no table "
                + table.name()
                + " in "
                + store
                + ", and wexrun.yaml says that it is never made here (manage: never)");
      }
      if (there.isEmpty()) {
        statement.execute(dialect.createTable(table));
        for (String comment : dialect.comments(table)) {
          statement.execute(comment);
        }
      } else if (table.manage() == Table.Manage.FOLLOW) {
        List<String> names = there.stream().map(StoredColumn::name).toList();
        for (Column column : table.schema().columns()) {
          if (!names.contains(column.name()) && !column.required()) {
            statement.execute(
                "alter table "
                    + Names.name(table.name())
                    + " add column "
                    + Names.name(column.name())
                    + " "
                    + dialect.typeOf(table, column));
          }
        }
      }
    }
  }

  /** The columns that a definition gives, as the database itself spells them. */
  private List<StoredColumn> defined(Connection connection, Table table) throws SQLException {
    String probe = "wexrun_probe_" + Long.toUnsignedString(System.nanoTime(), 36);
    String create = dialect.createTable(table.named(probe).keyed(List.of()));
    try (Statement statement = connection.createStatement()) {
      statement.execute(create.replaceFirst("create table", "create temp table"));
      List<StoredColumn> columns = dialect.columns(connection, probe);
      statement.execute("drop table " + Names.name(probe));
      return columns;
    }
  }

  /** A difference in one line, for messages. */
  public static String told(TableDifference difference) {
    List<String> columns = new ArrayList<>();
    for (TableDifference.Column column : difference.columns()) {
      String there = column.there().map(type -> type + " in the store").orElse("not in the store");
      columns.add(
          column.name() + ": " + there + ", " + column.defined().orElse("not") + " defined");
    }
    return String.join("; ", columns);
  }

  /** What differs, and the statements that would close it; empty for another order alone. */
  private Optional<TableDifference> difference(
      Table table, List<StoredColumn> there, List<StoredColumn> defined, boolean keyed) {
    Map<String, StoredColumn> old = new LinkedHashMap<>();
    there.forEach(column -> old.put(column.name(), column));
    List<TableDifference.Column> columns = new ArrayList<>();
    List<String> ddl = new ArrayList<>();
    String alter = "alter table " + Names.name(table.name()) + " ";
    for (StoredColumn column : defined) {
      StoredColumn before = old.remove(column.name());
      String name = Names.name(column.name());
      if (before == null) {
        columns.add(column.differs(null, "is missing"));
        ddl.add(alter + "add column " + name + " " + column.type() + ";");
        if (column.required()) {
          ddl.add("-- fill " + name + " in the rows that are there, then:");
          ddl.add(alter + "alter column " + name + " set not null;");
        }
        continue;
      }
      if (!before.type().equals(column.type())) {
        columns.add(column.differs(before, "has another type"));
        ddl.add(alter + dialect.retype(name, column.type()) + ";");
      }
      if (before.required() != column.required()) {
        String what = before.required() ? "must not be null" : "may be null";
        columns.add(column.differs(before, what + ", unlike its definition"));
        ddl.add(
            alter + "alter column " + name + (column.required() ? " set" : " drop") + " not null;");
      }
    }
    for (StoredColumn left : old.values()) {
      if (left.required() && !left.filled()) {
        columns.add(
            new TableDifference.Column(
                left.name(),
                Optional.of(left.type() + " not null"),
                Optional.empty(),
                "is not defined, and takes no null"));
        ddl.add(alter + "alter column " + Names.name(left.name()) + " drop not null;");
      }
    }
    if (!keyed) {
      String unique = "unique (" + Names.list(table.key()) + ")";
      columns.add(
          new TableDifference.Column("key", Optional.empty(), Optional.of(unique), "is missing"));
      ddl.add(
          "create unique index "
              + Names.name(table.name() + "_key")
              + " on "
              + Names.name(table.name())
              + " ("
              + Names.list(table.key())
              + ");");
    }
    return columns.isEmpty()
        ? Optional.empty()
        : Optional.of(new TableDifference(table.name(), columns, ddl));
  }
}
