package io.wexrun.postgres;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.sql.Constraint;
import io.wexrun.sql.Dialect;
import io.wexrun.sql.Names;
import io.wexrun.sql.StoredColumn;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/** How PostgreSQL writes tables. Lists of plain values are arrays; what is nested more is jsonb. */
final class PostgresDialect implements Dialect {
  private static final String COLUMNS =
      "select attname, format_type(atttypid, atttypmod), attnotnull,"
          + " atthasdef or attidentity <> '', (with recursive beneath(type, modifier) as"
          + " (select a.atttypid, a.atttypmod union all select t.typbasetype, case when"
          + " t.typtypmod = -1 then b.modifier else t.typtypmod end from beneath b join pg_type t"
          + " on t.oid = b.type where t.typtype = 'd') select case t.typtype when 'e' then 'enum'"
          + " else format_type(b.type, b.modifier) end from beneath b join pg_type t on t.oid ="
          + " b.type where t.typtype <> 'd') from pg_attribute a"
          + " where attrelid = to_regclass(?) and attnum > 0 and not attisdropped order by attnum";

  /** Checks and references, and unique indexes over whole columns of all rows. */
  private static final String CONSTRAINTS =
      "select c.contype::text, c.conname::text, pg_get_expr(c.conbin, c.conrelid),"
          + " coalesce((select array_agg(a.attname::text order by k.n) from unnest(c.conkey) with"
          + " ordinality k(num, n) join pg_attribute a on a.attrelid = c.conrelid and a.attnum ="
          + " k.num), '{}'), c.confrelid::regclass::text,"
          + " coalesce((select array_agg(a.attname::text order by k.n) from unnest(c.confkey) with"
          + " ordinality k(num, n) join pg_attribute a on a.attrelid = c.confrelid and a.attnum ="
          + " k.num), '{}') from pg_constraint c where c.conrelid = to_regclass(?)"
          + " and c.contype in ('c', 'f')"
          + " union all select 'u', x.relname::text, null, (select array_agg(a.attname::text order"
          + " by k.n) from unnest(i.indkey::smallint[]) with ordinality k(num, n) join pg_attribute"
          + " a on a.attrelid = i.indrelid and a.attnum = k.num where k.n <= i.indnkeyatts), null,"
          + " '{}' from pg_index i join pg_class x on x.oid = i.indexrelid where i.indrelid ="
          + " to_regclass(?) and i.indisunique and i.indpred is null and i.indexprs is null";

  private static final String UNIQUE =
      "select exists (select 1 from pg_index i where i.indrelid = to_regclass(?) and i.indisunique"
          + " and i.indpred is null and ? = (select array_agg(a.attname::text order by"
          + " a.attname::text collate \"C\") from pg_attribute a where a.attrelid = i.indrelid and"
          + " a.attnum = any(i.indkey)))";

  @Override
  public String type(Type type) {
    if (type instanceof Type.Decimal decimal) {
      return "numeric(" + decimal.precision() + "," + decimal.scale() + ")";
    }
    if (isArray(type)) {
      return type(((Type.ListOf) type).element()) + "[]";
    }
    if (type.nested()) {
      return "jsonb";
    }
    return switch ((Type.Scalar) type) {
      case BOOL -> "boolean";
      case INT -> "integer";
      case LONG -> "bigint";
      case DOUBLE -> "double precision";
      case TEXT -> "text";
      case BYTES -> "bytea";
      case TIMESTAMP -> "timestamp with time zone";
      case DATE -> "date";
      case UUID -> "uuid";
      case JSON -> "jsonb";
    };
  }

  @Override
  public Optional<Type> read(String stored) {
    return StoredTypes.read(stored);
  }

  @Override
  public Optional<Type> read(StoredColumn column) {
    return StoredTypes.read(column.base());
  }

  @Override
  public Optional<String> holds(Type type, StoredColumn column) {
    return StoredTypes.edge(type, column);
  }

  /** Spelled here as the server does, so that no table has to be made to ask it. */
  @Override
  public List<StoredColumn> defined(Connection connection, Table table) {
    return table.schema().columns().stream()
        .map(
            column ->
                new StoredColumn(column.name(), typeOf(table, column), column.required(), false))
        .toList();
  }

  @Override
  public String text(int length) {
    return "character varying(" + length + ")";
  }

  /** Arrays of arrays would all need the same length. */
  static boolean isArray(Type type) {
    return type instanceof Type.ListOf list && !list.element().nested();
  }

  @Override
  public String retype(String column, String type) {
    return "alter column " + column + " type " + type + " using " + column + "::" + type;
  }

  @Override
  public boolean unique(Connection connection, String table, List<String> columns)
      throws SQLException {
    try (PreparedStatement select = connection.prepareStatement(UNIQUE)) {
      select.setString(1, Names.name(table));
      select.setArray(2, connection.createArrayOf("text", columns.stream().sorted().toArray()));
      try (ResultSet rows = select.executeQuery()) {
        rows.next();
        return rows.getBoolean(1);
      }
    }
  }

  @Override
  public List<Constraint> constraints(Connection connection, String table) throws SQLException {
    List<Constraint> constraints = new ArrayList<>();
    for (StoredColumn column : columns(connection, table)) {
      if (column.required()) {
        constraints.add(
            Constraint.condition(
                "s." + Names.name(column.name()) + " is null",
                Names.text(
                    "null value in column \""
                        + column.name()
                        + "\" of relation \""
                        + table
                        + "\" violates not-null constraint")));
      }
    }
    try (PreparedStatement select = connection.prepareStatement(CONSTRAINTS)) {
      select.setString(1, Names.name(table));
      select.setString(2, Names.name(table));
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          constraints.add(
              constraint(
                  table,
                  rows.getString(1),
                  rows.getString(2),
                  rows.getString(3),
                  List.of((String[]) rows.getArray(4).getArray()),
                  rows.getString(5),
                  List.of((String[]) rows.getArray(6).getArray())));
        }
      }
    }
    return constraints;
  }

  /** With the server's own words for it. */
  private static Constraint constraint(
      String table,
      String kind,
      String name,
      String expression,
      List<String> columns,
      String other,
      List<String> otherColumns) {
    String key = "' (Key (" + String.join(", ", columns).replace("'", "''") + ")=(' || ";
    return switch (kind) {
      case "c" ->
          Constraint.condition(
              "(" + expression + ") is false",
              Names.text(
                  "new row for relation \""
                      + table
                      + "\" violates check constraint \""
                      + name
                      + "\""));
      case "f" ->
          Constraint.reference(
              columns,
              other,
              otherColumns,
              Names.text(
                      "insert or update on table \""
                          + table
                          + "\" violates foreign key constraint \""
                          + name
                          + "\"")
                  + " || "
                  + key
                  + Constraint.values(columns)
                  + " || "
                  + Names.text(") is not present in table " + other + ".)"));
      default ->
          Constraint.unique(
              columns,
              Names.text("duplicate key value violates unique constraint \"" + name + "\"")
                  + " || "
                  + key
                  + Constraint.values(columns)
                  + " || ') already exists.)'");
    };
  }

  @Override
  public List<StoredColumn> columns(Connection connection, String table) throws SQLException {
    List<StoredColumn> columns = new ArrayList<>();
    try (PreparedStatement select = connection.prepareStatement(COLUMNS)) {
      select.setString(1, Names.name(table));
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          columns.add(
              new StoredColumn(
                  rows.getString(1),
                  rows.getString(2),
                  rows.getBoolean(3),
                  rows.getBoolean(4),
                  rows.getString(5)));
        }
      }
    }
    return columns;
  }
}
