package io.wexrun.duckdb;

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
 * What Wexrun keeps in a DuckDB file about the file itself, in schema {@code wexrun}: who the file
 * and its tables are, and how far writers have got in each table.
 *
 * <p>A table's identity stands in {@code wexrun.tables} and, as {@code [wexrun ID]}, in the table's
 * own comment, which goes with a table that is dropped and stays with one that is altered or
 * renamed. If they differ, the table is another one than before, and what was noted about it is
 * forgotten.
 */
final class Catalog {
  private static final Pattern MARK = Pattern.compile("\\[wexrun ([0-9a-f-]{36})]");

  private Catalog() {}

  /** Makes what is not there, and says who the file is. */
  static Identity prepare(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("create schema if not exists wexrun");
      statement.execute("create table if not exists wexrun.store (id varchar not null)");
      statement.execute(
          "create table if not exists wexrun.tables (name varchar not null, id varchar not null)");
      statement.execute(
          "create table if not exists wexrun.progress (table_id varchar not null, writer varchar"
              + " not null, source varchar not null, from_position bigint not null, to_position"
              + " bigint not null, all_rows bigint, primary key (table_id, writer, source,"
              + " from_position))");
      statement.execute(Refusals.TABLE);
      statement.execute(Refusals.TIME);
      statement.execute(AddedColumns.TABLE);
      Optional<String> known = one(connection, "select id from wexrun.store");
      if (known.isEmpty()) {
        known = Optional.of(Identity.fresh().text());
        run(connection, "insert into wexrun.store values (?)", known.get());
      }
      return new Identity(known.get());
    }
  }

  /**
   * Says who a table is that is there; one that was not known, or is another now, gets to be new.
   */
  static Identity identify(Connection connection, String table) throws SQLException {
    Optional<Identity> known = known(connection, table);
    if (known.isPresent()) {
      return known.get();
    }
    String comment = comment(connection, table);
    forget(connection, table);
    Identity fresh = Identity.fresh();
    String others = MARK.matcher(comment).replaceAll("").strip();
    String marked = (others + " [wexrun " + fresh + "]").strip();
    try (Statement statement = connection.createStatement()) {
      statement.execute("comment on table " + Names.name(table) + " is " + Names.text(marked));
    }
    run(connection, "insert into wexrun.tables values (?, ?)", table, fresh.text());
    return fresh;
  }

  private static String comment(Connection connection, String table) throws SQLException {
    return one(
            connection,
            "select comment from duckdb_tables() where schema_name = 'main' and table_name = ?",
            table)
        .orElse("");
  }

  /** Who a table is, if it is known and still the same; changes nothing. */
  static Optional<Identity> known(Connection connection, String table) throws SQLException {
    Optional<String> known = one(connection, "select id from wexrun.tables where name = ?", table);
    Matcher mark = MARK.matcher(comment(connection, table));
    return known.isPresent() && mark.find() && mark.group(1).equals(known.get())
        ? known.map(Identity::new)
        : Optional.empty();
  }

  /** Forgets a table and how far writers have got in it. */
  static void forget(Connection connection, String table) throws SQLException {
    run(
        connection,
        "delete from wexrun.progress where table_id in"
            + " (select id from wexrun.tables where name = ?)",
        table);
    run(connection, "delete from wexrun.tables where name = ?", table);
  }

  /** A table has another name now. */
  static void renamed(Connection connection, String from, String to) throws SQLException {
    run(connection, "update wexrun.tables set name = ? where name = ?", to, from);
  }

  private static Optional<String> one(Connection connection, String sql, String... parameters)
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

  private static void run(Connection connection, String sql, String... parameters)
      throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      for (int i = 0; i < parameters.length; i++) {
        statement.setString(i + 1, parameters[i]);
      }
      statement.execute();
    }
  }
}
