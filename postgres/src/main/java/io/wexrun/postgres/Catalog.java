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
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * What Wexrun keeps in a database about itself, in schema {@code wexrun}: who the database and its
 * tables are, how far writers have got in each table, and what the tables refused.
 *
 * <p>A table's identity stands in its own comment, as {@code [wexrun ID]}: it goes with a table
 * that is dropped, stays with one that is renamed, and is in a dump.
 */
final class Catalog {
  private static final Pattern MARK = Pattern.compile("\\[wexrun ([0-9a-f-]{36})]");

  /** Whoever makes the schema or a table first locks the others out meanwhile; any number does. */
  private static final String LOCK = "select pg_advisory_xact_lock(7748195208347)";

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

  /** Whether the schema is there. Changes nothing. */
  static boolean isThere(Connection connection) throws SQLException {
    return one(
            connection,
            "select attname::text from pg_attribute where attrelid ="
                + " to_regclass('wexrun.refused') and attname = 'refused_at'")
        .isPresent();
  }

  /** Makes what is not there, and says who the database is. In a transaction. */
  static Identity prepare(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      if (!isThere(connection)) {
        statement.execute(LOCK);
        // Who may create in the schema need not have the right to create schemas.
        if (one(connection, "select to_regnamespace('wexrun')::text").isEmpty()) {
          statement.execute("create schema wexrun");
        }
        statement.execute("create table if not exists wexrun.store (id varchar not null)");
        statement.execute(
            "create table if not exists wexrun.progress (table_id varchar not null, writer varchar"
                + " not null, source varchar not null, position bigint not null, all_rows bigint"
                + " not null, primary key (table_id, writer, source))");
        statement.execute(
            "insert into wexrun.store select gen_random_uuid()::varchar"
                + " where not exists (select 1 from wexrun.store)");
        statement.execute(Refusals.TABLE);
        statement.execute(Refusals.TIME);
        statement.execute(AddedColumns.TABLE);
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
    String marked = (comment(connection, table) + " [wexrun " + fresh + "]").strip();
    try (Statement statement = connection.createStatement()) {
      statement.execute("comment on table " + Names.name(table) + " is " + Names.text(marked));
    }
    return fresh;
  }

  /** Who a table is, if it is known; changes nothing. */
  static Optional<Identity> known(Connection connection, String table) throws SQLException {
    Matcher mark = MARK.matcher(comment(connection, table));
    return mark.find() ? Optional.of(new Identity(mark.group(1))) : Optional.empty();
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
