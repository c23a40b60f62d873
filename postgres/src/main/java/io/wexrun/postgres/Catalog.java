package io.wexrun.postgres;

import io.wexrun.core.identity.Identity;
import io.wexrun.sql.AddedColumns;
import io.wexrun.sql.Names;
import io.wexrun.sql.Refusals;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * What Wexrun keeps in a database about itself, in schema {@code wexrun}: who the database and its
 * tables are, how far writers have got in each table, and what the tables refused.
 *
 * <p>The identity of a table that the user owns is in the table's own comment, as {@code [wexrun
 * ID]}: it goes with a table that is dropped, stays with one that is renamed, and is in a dump. Of
 * a table of others it is in {@code wexrun.tables}, with the numbers that the server gave to the
 * table and to the database: another table has another number, and in a database that was restored
 * from a dump all have, so that there the name counts.
 */
final class Catalog {
  /** The schema, and what is in it; to be run again does no harm. */
  static final List<String> SETUP =
      List.of(
          "create schema if not exists wexrun",
          "create table if not exists wexrun.store (id varchar not null)",
          "create table if not exists wexrun.progress (table_id varchar not null, writer varchar"
              + " not null, source varchar not null, position bigint not null, all_rows bigint"
              + " not null, primary key (table_id, writer, source))",
          "insert into wexrun.store select gen_random_uuid()::varchar"
              + " where not exists (select 1 from wexrun.store)",
          Refusals.TABLE,
          Refusals.TIME,
          AddedColumns.TABLE,
          "create table if not exists wexrun.tables (database_number bigint not null, table_number"
              + " bigint not null, name varchar not null, id varchar not null)");

  private static final Pattern MARK = Pattern.compile("\\[wexrun ([0-9a-f-]{36})]");

  /** Whoever makes the schema or a table first locks the others out meanwhile; any number does. */
  private static final String LOCK = "select pg_advisory_xact_lock(7748195208347)";

  private static final String IS_THERE =
      "select 'yes' from pg_namespace n join pg_class t on t.relnamespace = n.oid"
          + " where n.nspname = 'wexrun' and t.relname = 'tables'";

  private static final String DATABASE =
      "(select oid::bigint from pg_database where datname = current_database())";

  /** A table of others by its number; or by its name, if the database is another one now. */
  private static final String KNOWN =
      "select id from wexrun.tables where table_number = to_regclass(?)::oid::bigint and"
          + " database_number = "
          + DATABASE
          + " or name = to_regclass(?)::oid::regclass::text and database_number <> "
          + DATABASE
          + " order by database_number = "
          + DATABASE
          + " desc limit 1";

  private Catalog() {}

  /**
   * Until the transaction ends nobody else makes tables that we manage: without this, two who begin
   * at once would both find that one is not there, and one of them would fail.
   */
  static void hold(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute(LOCK);
    }
  }

  /** Whether the schema is there, as this version needs it. Changes nothing, and needs no right. */
  static boolean isThere(Connection connection) throws SQLException {
    return one(connection, IS_THERE).isPresent();
  }

  /** Makes what is not there, and says who the database is. In a transaction. */
  static Identity prepare(Connection connection) throws SQLException {
    if (!isThere(connection)) {
      try (Statement statement = connection.createStatement()) {
        statement.execute(LOCK);
        // Who may create in the schema need not have the right to create schemas.
        boolean schema = one(connection, "select to_regnamespace('wexrun')::text").isPresent();
        for (String setup : SETUP.subList(schema ? 1 : 0, SETUP.size())) {
          statement.execute(setup);
        }
      }
    }
    return new Identity(one(connection, "select id from wexrun.store").orElseThrow());
  }

  /** Says who a table is that is there; one that was not known gets to be new. */
  static Identity identify(Connection connection, String table) throws SQLException {
    Optional<Identity> known = known(connection, table);
    if (known.isPresent()) {
      return known.get();
    }
    Identity fresh = Identity.fresh();
    if (Rights.owns(connection, table)) {
      String marked = (comment(connection, table) + " [wexrun " + fresh + "]").strip();
      try (Statement statement = connection.createStatement()) {
        statement.execute("comment on table " + Names.name(table) + " is " + Names.text(marked));
      }
      return fresh;
    }
    try (PreparedStatement insert =
        connection.prepareStatement(
            "insert into wexrun.tables select "
                + DATABASE
                + ", to_regclass(?)::oid::bigint, to_regclass(?)::oid::regclass::text, ?")) {
      insert.setString(1, Names.name(table));
      insert.setString(2, Names.name(table));
      insert.setString(3, fresh.text());
      insert.executeUpdate();
    }
    return fresh;
  }

  /** Who a table is, if it is known; changes nothing. */
  static Optional<Identity> known(Connection connection, String table) throws SQLException {
    Matcher mark = MARK.matcher(comment(connection, table));
    return mark.find()
        ? Optional.of(new Identity(mark.group(1)))
        : one(connection, KNOWN, Names.name(table), Names.name(table)).map(Identity::new);
  }

  private static String comment(Connection connection, String table) throws SQLException {
    return one(connection, "select obj_description(to_regclass(?), 'pg_class')", Names.name(table))
        .orElse("");
  }

  /** The first text that a query gives, if it gives one that is not null. */
  static Optional<String> one(Connection connection, String sql, String... parameters)
      throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      for (int i = 0; i < parameters.length; i++) {
        statement.setString(i + 1, parameters[i]);
      }
      try (ResultSet rows = statement.executeQuery()) {
        return rows.next() ? Optional.ofNullable(rows.getString(1)) : Optional.empty();
      }
    }
  }
}
