package io.wexrun.postgres;

import io.wexrun.core.pipeline.Drift;
import io.wexrun.core.pipeline.Table;
import io.wexrun.sql.Names;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * The rights that a user needs to load a table, by the server's documentation of its privileges:
 * the statements that grant what is missing, and a script that sets all up.
 */
final class Rights {
  private static final List<String> OWN =
      List.of("store", "progress", "refused", "added", "tables");
  private static final List<String> ALL = List.of("select", "insert", "update", "delete");

  private Rights() {}

  /** Whether the user may change a table and its comment. */
  static boolean owns(Connection connection, String table) throws SQLException {
    return is(
        connection,
        "select pg_has_role(relowner, 'usage')::text from pg_class where oid = to_regclass(?)",
        Names.name(table));
  }

  private static boolean is(Connection connection, String sql, String... parameters)
      throws SQLException {
    return Catalog.one(connection, sql, parameters).equals(Optional.of("true"));
  }

  /** What is done with rows of a table, beside inserting them. */
  private static List<String> on(Table table) {
    return table.key().isEmpty() ? List.of("insert") : List.of("insert", "select", "update");
  }

  /**
   * The statements that grant what the user of a connection lacks to load a table. Changes nothing.
   */
  static List<String> missing(Connection connection, Table table) throws SQLException {
    String role = Names.name(Catalog.one(connection, "select current_user").orElseThrow());
    List<String> missing = new ArrayList<>();
    if (Catalog.isThere(connection)) {
      own(connection, role, missing);
    } else if (!maySetUp(connection)) {
      missing.add(
          "-- schema wexrun: an administrator runs what 'wexrun table --setup-sql' prints, once");
    }
    Optional<String> there =
        Catalog.one(
            connection, "select to_regclass(?)::oid::regclass::text", Names.name(table.name()));
    if (there.isPresent()) {
      table(connection, table, there.get(), role, missing);
    } else if (table.manage() != Table.Manage.NEVER) {
      create(connection, role, missing);
    }
    boolean temporary = !table.key().isEmpty();
    if (temporary
        && !is(connection, "select has_database_privilege(current_database(), 'temp')::text")) {
      missing.add("grant temporary on database " + database(connection) + " to " + role + ";");
    }
    return missing;
  }

  private static boolean maySetUp(Connection connection) throws SQLException {
    return is(
        connection,
        "select case when to_regnamespace('wexrun') is null then"
            + " has_database_privilege(current_database(), 'create') else"
            + " has_schema_privilege('wexrun', 'create') end::text");
  }

  private static void own(Connection connection, String role, List<String> missing)
      throws SQLException {
    if (!is(connection, "select has_schema_privilege('wexrun', 'usage')::text")) {
      missing.add("grant usage on schema wexrun to " + role + ";");
    }
    for (String name : OWN) {
      List<String> lacks = lacks(connection, "wexrun." + name, ALL);
      if (!lacks.isEmpty()) {
        missing.add(
            "grant " + String.join(", ", lacks) + " on wexrun." + name + " to " + role + ";");
      }
    }
  }

  /** By the catalog, which needs no right to the schema. */
  private static List<String> lacks(Connection connection, String table, List<String> rights)
      throws SQLException {
    List<String> lacks = new ArrayList<>();
    for (String right : rights) {
      if (!is(
          connection,
          "select has_table_privilege(t.oid, ?)::text from pg_class t join pg_namespace n on n.oid"
              + " = t.relnamespace where n.nspname || '.' || t.relname = ?",
          right,
          table)) {
        lacks.add(right);
      }
    }
    return lacks;
  }

  private static void table(
      Connection connection, Table table, String there, String role, List<String> missing)
      throws SQLException {
    List<String> lacks = new ArrayList<>();
    for (String right : on(table)) {
      String query =
          right.equals("insert") || right.equals("update")
              ? "select (has_table_privilege(to_regclass(?), ?) or (select bool_and("
                  + "has_column_privilege(attrelid, attnum, ?)) from pg_attribute where attrelid ="
                  + " to_regclass(?) and attname = any(string_to_array(?, chr(10)))))::text"
              : "select has_table_privilege(to_regclass(?), ?)::text";
      String name = Names.name(table.name());
      String columns = String.join("\n", table.schema().names());
      boolean has =
          right.equals("select")
              ? is(connection, query, name, right)
              : is(connection, query, name, right, right, name, columns);
      if (!has) {
        lacks.add(right);
      }
    }
    if (!lacks.isEmpty()) {
      missing.add("grant " + String.join(", ", lacks) + " on " + there + " to " + role + ";");
    }
    boolean changes =
        table.manage() == Table.Manage.FOLLOW
            || table.details().drift().filter(d -> d.policy() == Drift.Policy.ADD).isPresent();
    if (changes && !owns(connection, table.name())) {
      missing.add("alter table " + there + " owner to " + role + "; -- it is given columns");
    }
  }

  private static void create(Connection connection, String role, List<String> missing)
      throws SQLException {
    Optional<String> schema = Catalog.one(connection, "select quote_ident(current_schema()::text)");
    if (schema.isEmpty()) {
      missing.add("-- none of the schemas of the search path is there: create one");
    } else if (!is(
        connection, "select has_schema_privilege(current_schema()::text, 'create')::text")) {
      missing.add("grant create on schema " + schema.get() + " to " + role + ";");
    }
  }

  private static String database(Connection connection) throws SQLException {
    return Catalog.one(connection, "select quote_ident(current_database()::text)").orElseThrow();
  }

  /**
   * A script by which an administrator sets a database up, so that a role without other rights can
   * load tables.
   *
   * @param schema where the tables are; the first one of the search path if empty
   */
  static String script(String store, Optional<String> schema, List<Table> tables, String role) {
    String to = " to " + Names.name(role) + ";";
    List<String> lines = new ArrayList<>();
    lines.add("-- Store " + store + ", for role " + role + ": an administrator runs this once.");
    lines.add("-- To run it again changes nothing.");
    Catalog.SETUP.forEach(statement -> lines.add(statement + ";"));
    lines.add("grant usage on schema wexrun" + to);
    for (String name : OWN) {
      lines.add("grant " + String.join(", ", ALL) + " on wexrun." + name + to);
    }
    schema.ifPresent(
        name -> {
          lines.add("create schema if not exists " + Names.name(name) + ";");
          lines.add("grant usage on schema " + Names.name(name) + to);
        });
    for (Table table : tables) {
      String name = schema.map(s -> Names.name(s) + ".").orElse("") + Names.name(table.name());
      lines.add("");
      if (table.manage() == Table.Manage.NEVER) {
        lines.add("-- table " + table.name() + " is made elsewhere (manage: never)");
      } else {
        String create = PostgresStore.DIALECT.createTable(table);
        String columns = create.substring(("create table " + Names.name(table.name())).length());
        lines.add("create table if not exists " + name + columns + ";");
      }
      lines.add("grant " + String.join(", ", on(table)) + " on " + name + to);
      if (!on(table).contains("select")) {
        lines.add("-- for 'wexrun sql', 'trace' and 'tally --prove':");
        lines.add("-- grant select on " + name + to);
      }
    }
    return String.join("\n", lines) + "\n";
  }
}
