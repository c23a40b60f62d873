package io.wexrun.duckdb;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.TableDifference;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** A column of a table in DuckDB. */
record Stored(String name, String type, boolean required) {

  /** The columns of a table in order; none if there is no such table. */
  static List<Stored> columns(Statement statement, String table) throws SQLException {
    List<Stored> columns = new ArrayList<>();
    try (ResultSet rows =
        statement.executeQuery(
            "select column_name, data_type, is_nullable from information_schema.columns where"
                + " table_schema = 'main' and table_name = "
                + Sql.text(table)
                + " order by ordinal_position")) {
      while (rows.next()) {
        columns.add(
            new Stored(rows.getString(1), rows.getString(2), rows.getString(3).equals("NO")));
      }
    }
    return columns;
  }

  /** The columns that a definition gives, as DuckDB itself spells them. */
  static List<Stored> of(Table table, Statement statement) throws SQLException {
    String probe = "wexrun_probe_" + Long.toUnsignedString(System.nanoTime());
    String create = Sql.createTable(probe, table.schema().columns());
    statement.execute(create.replaceFirst("create table", "create temp table"));
    List<Stored> columns = columns(statement, probe);
    statement.execute("drop table temp." + Sql.name(probe));
    return columns;
  }

  /** What differs, and the statements that would close it; empty for another order alone. */
  static Optional<TableDifference> difference(Table table, List<Stored> there, Statement statement)
      throws SQLException {
    Map<String, Stored> old = new LinkedHashMap<>();
    there.forEach(column -> old.put(column.name, column));
    List<TableDifference.Column> columns = new ArrayList<>();
    List<String> ddl = new ArrayList<>();
    String alter = "alter table " + Sql.name(table.name()) + " ";
    List<Stored> defined = of(table, statement);
    for (Stored column : defined) {
      Stored before = old.remove(column.name);
      String name = Sql.name(column.name);
      if (before == null) {
        columns.add(column.differs(null, "is missing"));
        ddl.add(alter + "add column " + name + " " + column.type + ";");
        if (column.required) {
          ddl.add("-- fill " + name + " in the rows that are there, then:");
          ddl.add(alter + "alter column " + name + " set not null;");
        }
        continue;
      }
      if (!before.type.equals(column.type)) {
        columns.add(column.differs(before, "has another type"));
        ddl.add(alter + "alter column " + name + " set data type " + column.type + ";");
      }
      if (before.required != column.required) {
        String what = before.required ? "must not be null" : "may be null";
        columns.add(column.differs(before, what + ", unlike its definition"));
        ddl.add(
            alter + "alter column " + name + (column.required ? " set" : " drop") + " not null;");
      }
    }
    for (Stored left : old.values()) {
      columns.add(
          new TableDifference.Column(
              left.name, Optional.of(left.type), Optional.empty(), "is not defined"));
      ddl.add(alter + "drop column " + Sql.name(left.name) + "; -- its values are lost");
    }
    boolean ordered = inOrder(there, defined);
    if (!ordered) {
      ddl.add("-- the columns stand in another order; this puts them into the defined one:");
      ddl.add(reorder(table, defined));
    }
    if (columns.isEmpty() && !ordered) {
      columns.add(
          new TableDifference.Column(
              defined.get(0).name,
              Optional.empty(),
              Optional.empty(),
              "and others stand elsewhere"));
    }
    return Optional.of(new TableDifference(table.name(), columns, ddl));
  }

  private TableDifference.Column differs(Stored before, String what) {
    return new TableDifference.Column(
        name,
        Optional.ofNullable(before).map(b -> b.type + (b.required ? " not null" : "")),
        Optional.of(type + (required ? " not null" : "")),
        what);
  }

  /** Whether the table will have the defined order once columns are added and dropped. */
  private static boolean inOrder(List<Stored> there, List<Stored> defined) {
    List<String> names = new ArrayList<>();
    List<String> wanted = defined.stream().map(Stored::name).toList();
    there.stream().map(Stored::name).filter(wanted::contains).forEach(names::add);
    wanted.stream().filter(name -> !names.contains(name)).forEach(names::add);
    return names.equals(wanted);
  }

  private static String reorder(Table table, List<Stored> defined) {
    String name = Sql.name(table.name());
    String whole = Sql.name(table.name() + "_ordered");
    List<String> names = defined.stream().map(column -> Sql.name(column.name)).toList();
    return Sql.createTable(table.name() + "_ordered", table.schema().columns())
        + "; insert into "
        + whole
        + " select "
        + String.join(", ", names)
        + " from "
        + name
        + "; drop table "
        + name
        + "; alter table "
        + whole
        + " rename to "
        + name
        + ";";
  }
}
