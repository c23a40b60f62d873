package io.wexrun.sql;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.target.Swapping;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;

/** What stores that speak SQL do with tables that are built beside others. Without state. */
public final class Shadows {
  /** So many sources are asked for in one statement. */
  private static final int SOURCES = 1000;

  private static final List<String> NOTED = List.of("progress", "refused", "added");

  private Shadows() {}

  /**
   * Copies rows of records before given positions, in the transaction of a connection.
   *
   * @param before for numbers of sources the position before which a row's record stands
   * @return how many rows, by the number of their source
   */
  public static Map<Long, Long> copy(
      Connection connection, Dialect dialect, String table, String shadow, Map<Long, Long> before)
      throws SQLException {
    List<String> columns = new ArrayList<>();
    List<String> there = names(dialect, connection, shadow);
    for (String column : names(dialect, connection, table)) {
      if (there.contains(column)) {
        columns.add(column);
      }
    }
    Map<Long, Long> copied = new HashMap<>();
    if (!columns.contains(OriginColumns.SOURCE) || !columns.contains(OriginColumns.POSITION)) {
      return copied;
    }
    List<Map.Entry<Long, Long>> sources = List.copyOf(before.entrySet());
    try (Statement statement = connection.createStatement()) {
      for (int at = 0; at < sources.size(); at += SOURCES) {
        String some =
            sources.subList(at, Math.min(sources.size(), at + SOURCES)).stream()
                .map(each -> "(" + each.getKey() + ", " + each.getValue() + ")")
                .collect(Collectors.joining(", "));
        String from =
            " from "
                + Names.name(table)
                + " t join (values "
                + some
                + ") b(source, bound) on t."
                + OriginColumns.SOURCE
                + " = b.source and t."
                + OriginColumns.POSITION
                + " < b.bound";
        String list =
            columns.stream().map(c -> "t." + Names.name(c)).collect(Collectors.joining(", "));
        statement.execute(
            "insert into "
                + Names.name(shadow)
                + " ("
                + Names.list(columns)
                + ") select "
                + list
                + from);
        try (ResultSet rows =
            statement.executeQuery("select b.source, count(*)" + from + " group by b.source")) {
          while (rows.next()) {
            copied.put(rows.getLong(1), rows.getLong(2));
          }
        }
      }
    }
    return copied;
  }

  /** What is to be known of a table that gets another name, or whose place another one takes. */
  public interface Renaming {
    /** A shadow is about to take the place of a table. */
    default void replacing(Connection connection, String table, String shadow)
        throws SQLException {}

    /** A table has another name now. */
    default void renamed(Connection connection, String from, String to) throws SQLException {}
  }

  /**
   * Exchanges tables, in the transaction of a connection.
   *
   * @param store its name, for messages
   * @throws OutsideException if there is no such shadow
   */
  public static void swap(
      Connection connection,
      Dialect dialect,
      List<Swapping.Exchange> exchanges,
      Object store,
      Renaming renaming)
      throws SQLException {
    for (Swapping.Exchange each : exchanges) {
      if (dialect.columns(connection, each.shadow()).isEmpty()) {
        throw new OutsideException("there is no table " + each.shadow() + " in " + store);
      }
      if (!dialect.columns(connection, each.table()).isEmpty()) {
        renaming.replacing(connection, each.table(), each.shadow());
        rename(connection, each.table(), each.kept(), renaming);
      }
      rename(connection, each.shadow(), each.table(), renaming);
    }
  }

  private static void rename(Connection connection, String from, String to, Renaming renaming)
      throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("alter table " + Names.name(from) + " rename to " + Names.name(to));
    }
    renaming.renamed(connection, from, to);
  }

  private static List<String> names(Dialect dialect, Connection connection, String table)
      throws SQLException {
    return dialect.columns(connection, table).stream().map(StoredColumn::name).toList();
  }

  /**
   * Drops a table, in the transaction of a connection.
   *
   * @param who the table is, if that is known: what is noted of it goes with it
   */
  public static void drop(Connection connection, String table, Optional<Identity> who)
      throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("drop table if exists " + Names.name(table));
      if (who.isPresent()) {
        for (String noted : NOTED) {
          statement.execute(
              "delete from wexrun." + noted + " where table_id = " + Names.text(who.get().text()));
        }
      }
    }
  }
}
