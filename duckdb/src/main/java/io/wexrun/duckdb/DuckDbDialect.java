package io.wexrun.duckdb;

import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.sql.Constraint;
import io.wexrun.sql.Dialect;
import io.wexrun.sql.Names;
import io.wexrun.sql.StoredColumn;
import java.sql.Array;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** How DuckDB writes tables. */
final class DuckDbDialect implements Dialect {
  private static final Pattern MEMBER = Pattern.compile("(?:\"([^\"]+)\"|(\\S+)) (.+)");

  @Override
  public String type(Type type) {
    return Sql.type(type);
  }

  @Override
  public Optional<Type> read(String stored) {
    if (stored.endsWith("[]")) {
      return read(stored.substring(0, stored.length() - 2)).map(Type.ListOf::new);
    }
    if (stored.startsWith("STRUCT(") && stored.endsWith(")")) {
      return struct(stored.substring("STRUCT(".length(), stored.length() - 1));
    }
    Optional<Type> other = StoredTypes.read(stored);
    if (other.isPresent()) {
      return other;
    }
    return Optional.ofNullable(
        switch (stored.toUpperCase(Locale.ROOT)) {
          case "BOOLEAN" -> Type.Scalar.BOOL;
          case "INTEGER" -> Type.Scalar.INT;
          case "BIGINT" -> Type.Scalar.LONG;
          case "DOUBLE" -> Type.Scalar.DOUBLE;
          case "VARCHAR", "CITEXT" -> Type.Scalar.TEXT;
          case "BLOB" -> Type.Scalar.BYTES;
          case "TIMESTAMP WITH TIME ZONE" -> Type.Scalar.TIMESTAMP;
          case "DATE" -> Type.Scalar.DATE;
          case "UUID" -> Type.Scalar.UUID;
          case "JSON", "JSONB" -> Type.Scalar.JSON;
          default -> null;
        });
  }

  /** {@code lat DOUBLE, "odd name" VARCHAR}; names that hold quotes are none of ours. */
  private Optional<Type> struct(String members) {
    List<Column> fields = new ArrayList<>();
    int from = 0;
    int depth = 0;
    boolean quoted = false;
    for (int at = 0; at <= members.length(); at++) {
      char c = at == members.length() ? ',' : members.charAt(at);
      quoted ^= c == '"';
      depth += quoted ? 0 : c == '(' ? 1 : c == ')' ? -1 : 0;
      if (c != ',' || quoted || depth > 0) {
        continue;
      }
      Matcher member = MEMBER.matcher(members.substring(from, at).strip());
      if (!member.matches()) {
        return Optional.empty();
      }
      Optional<Type> type = read(member.group(3));
      if (type.isEmpty()) {
        return Optional.empty();
      }
      String name = member.group(1) == null ? member.group(2) : member.group(1);
      fields.add(Column.of(name, type.get()));
      from = at + 1;
    }
    return Optional.of(new Type.Struct(fields));
  }

  @Override
  public Optional<String> holds(Type type, StoredColumn column) {
    return StoredTypes.edge(type, column.type());
  }

  @Override
  public boolean foldsCase() {
    return true;
  }

  @Override
  public String retype(String column, String type) {
    return "alter column " + column + " set data type " + type;
  }

  @Override
  public boolean unique(Connection connection, String table, List<String> columns)
      throws SQLException {
    String wanted = columns.stream().sorted().map(Names::text).collect(Collectors.joining(", "));
    try (Statement statement = connection.createStatement();
        ResultSet rows =
            statement.executeQuery(
                "select count(*) from (select list_sort(constraint_column_names) as names from"
                    + " duckdb_constraints() where constraint_type in ('PRIMARY KEY', 'UNIQUE') and"
                    + " schema_name = 'main' and table_name = "
                    + Names.text(table)
                    + " union all select list_sort(list_transform(string_split(trim(expressions,"
                    + " '[]'), ', '), lambda e: trim(e, '\"'''))) from duckdb_indexes() where"
                    + " is_unique and schema_name = 'main' and table_name = "
                    + Names.text(table)
                    + ") where names = ["
                    + wanted
                    + "]")) {
      rows.next();
      return rows.getInt(1) > 0;
    }
  }

  @Override
  public List<StoredColumn> defined(Connection connection, Table table) throws SQLException {
    String probe = "wexrun_probe_" + Long.toUnsignedString(System.nanoTime(), 36);
    String create = createTable(table.named(probe).keyed(List.of()));
    try (Statement statement = connection.createStatement()) {
      statement.execute(create.replaceFirst("create table", "create temp table"));
      List<StoredColumn> columns = columns(connection, probe);
      statement.execute("drop table " + Names.name(probe));
      return columns;
    }
  }

  @Override
  public List<Constraint> constraints(Connection connection, String table) throws SQLException {
    List<Constraint> constraints = new ArrayList<>();
    for (StoredColumn column : columns(connection, table)) {
      if (StoredTypes.refuses(column.type())) {
        String name = "s." + Names.name(column.name());
        constraints.add(
            Constraint.condition(
                name + " is not null and try_cast(" + name + " as " + column.type() + ") is null",
                "'Conversion Error: \"' || "
                    + name
                    + "::varchar || '\" does not fit into column '"
                    + " || "
                    + Names.text(column.name() + " of type " + column.type())));
      }
    }
    String where = " where schema_name = 'main' and table_name = " + Names.text(table);
    try (Statement statement = connection.createStatement();
        ResultSet rows =
            statement.executeQuery(
                "select constraint_type, expression, constraint_column_names, referenced_table,"
                    + " referenced_column_names from duckdb_constraints()"
                    + where
                    + " union all select 'UNIQUE', null, list_transform(string_split("
                    + "trim(expressions, '[]'), ', '), lambda e: trim(e, '\"''')), null, [] from"
                    + " duckdb_indexes()"
                    + where
                    + " and is_unique and not contains(expressions, '(')")) {
      while (rows.next()) {
        List<String> columns = names(rows.getArray(3));
        constraints.add(
            constraint(
                table,
                rows.getString(1),
                rows.getString(2),
                columns,
                rows.getString(4),
                names(rows.getArray(5))));
      }
    }
    return constraints;
  }

  private static Constraint constraint(
      String table,
      String kind,
      String expression,
      List<String> columns,
      String other,
      List<String> otherColumns) {
    String values =
        Names.text("\"" + String.join(", ", columns) + ": ")
            + " || "
            + Constraint.values(columns)
            + " || '\"'";
    return switch (kind) {
      case "NOT NULL" ->
          Constraint.condition(
              "s." + Names.name(columns.get(0)) + " is null",
              Names.text(
                  "Constraint Error: NOT NULL constraint failed: " + table + "." + columns.get(0)));
      case "CHECK" ->
          Constraint.condition(
              "(" + expression + ") is false",
              Names.text(
                  "Constraint Error: CHECK constraint failed on table "
                      + table
                      + ": "
                      + expression));
      case "FOREIGN KEY" ->
          Constraint.reference(
              columns,
              Names.name(other),
              otherColumns,
              Names.text("Constraint Error: foreign key: no row of " + other + " has ")
                  + " || "
                  + values);
      default ->
          Constraint.unique(
              columns,
              "'Constraint Error: Duplicate key ' || "
                  + values
                  + " || ' violates unique constraint'");
    };
  }

  private static List<String> names(Array array) throws SQLException {
    List<String> names = new ArrayList<>();
    for (Object each : (Object[]) array.getArray()) {
      names.add(String.valueOf(each));
    }
    return names;
  }

  @Override
  public List<StoredColumn> columns(Connection connection, String table) throws SQLException {
    List<StoredColumn> columns = new ArrayList<>();
    try (Statement statement = connection.createStatement();
        ResultSet rows =
            statement.executeQuery(
                "select column_name, data_type, is_nullable, column_default is not null from"
                    + " information_schema.columns where table_schema = 'main' and table_name = "
                    + Names.text(table)
                    + " order by ordinal_position")) {
      while (rows.next()) {
        boolean required = rows.getString(3).equals("NO");
        columns.add(
            new StoredColumn(rows.getString(1), rows.getString(2), required, rows.getBoolean(4)));
      }
    }
    return columns;
  }
}
