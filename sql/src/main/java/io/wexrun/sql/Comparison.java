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
    List<StoredColumn> defined = dialect.defined(connection, table);
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
    Difference difference = new Difference(table);
    for (int i = 0; i < defined.size(); i++) {
      StoredColumn column = defined.get(i);
      StoredColumn before = old.remove(column.name());
      if (before == null) {
        difference.missing(column);
        continue;
      }
      if (!before.type().equals(column.type())) {
        Optional<String> edge = dialect.holds(table.schema().column(i).type(), before);
        difference.otherType(column, before, edge);
      }
      if (before.required() != column.required()) {
        difference.otherNulls(column, before);
      }
    }
    for (StoredColumn left : old.values()) {
      if (left.required() && !left.filled()) {
        difference.strange(left);
      }
    }
    if (!keyed) {
      difference.noKey();
    }
    return difference.found();
  }

  /** Collects what differs: what stops a run, and what is only worth knowing. */
  private final class Difference {
    private final Table table;
    private final String alter;
    private final List<TableDifference.Column> stopping = new ArrayList<>();
    private final List<TableDifference.Column> edges = new ArrayList<>();
    private final List<String> ddl = new ArrayList<>();

    Difference(Table table) {
      this.table = table;
      this.alter = "alter table " + Names.name(table.name()) + " ";
    }

    void missing(StoredColumn column) {
      String name = Names.name(column.name());
      stopping.add(column.differs(null, "is missing"));
      ddl.add(alter + "add column " + name + " " + column.type() + ";");
      if (column.required()) {
        ddl.add("-- fill " + name + " in the rows that are there, then:");
        ddl.add(alter + "alter column " + name + " set not null;");
      }
    }

    void otherType(StoredColumn column, StoredColumn before, Optional<String> edge) {
      if (edge.isEmpty()) {
        stopping.add(column.differs(before, "has another type"));
        ddl.add(alter + dialect.retype(Names.name(column.name()), column.type()) + ";");
      } else if (!edge.get().isEmpty()) {
        edges.add(column.differs(before, edge.get()));
      }
    }

    void otherNulls(StoredColumn column, StoredColumn before) {
      if (table.manage() == Table.Manage.NEVER) {
        if (before.required()) {
          edges.add(column.differs(before, "a row without a value is refused"));
        }
        return;
      }
      String what = before.required() ? "must not be null" : "may be null";
      stopping.add(column.differs(before, what + ", unlike its definition"));
      String change = column.required() ? " set" : " drop";
      ddl.add(alter + "alter column " + Names.name(column.name()) + change + " not null;");
    }

    void strange(StoredColumn left) {
      stopping.add(
          new TableDifference.Column(
              left.name(),
              Optional.of(left.type() + " not null"),
              Optional.empty(),
              "is not defined, and takes no null"));
      ddl.add(alter + "alter column " + Names.name(left.name()) + " drop not null;");
    }

    void noKey() {
      String unique = "unique (" + Names.list(table.key()) + ")";
      stopping.add(
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

    Optional<TableDifference> found() {
      if (stopping.isEmpty()) {
        return edges.isEmpty()
            ? Optional.empty()
            : Optional.of(new TableDifference(table.name(), edges, List.of(), false));
      }
      // Who keeps the definition elsewhere changes it there.
      boolean never = table.manage() == Table.Manage.NEVER;
      return Optional.of(
          new TableDifference(table.name(), stopping, never ? List.of() : ddl, true));
    }
  }
}
