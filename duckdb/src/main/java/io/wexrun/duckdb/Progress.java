package io.wexrun.duckdb;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.sql.Replaced;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;

/**
 * How far a writer has got with each source partition in a table: a chain of rows, each from the
 * position where the one before ended. Appended rows of two transactions never conflict, changed
 * ones would; but only one row can go on from a position, so of two writers who believe the same,
 * one cannot commit.
 *
 * @param table who the table is
 * @param label the table and the store, for messages
 */
record Progress(Identity table, String writer, String label) {
  /** Where a chain begins. */
  private static final long NOTHING = -1;

  /** So many rows are added by one statement. */
  private static final int AT_ONCE = 500;

  private static final String OURS = " where table_id = ? and writer = ?";

  /** How far each source partition has got, and {@link Replaced}. */
  Map<SourcePartition, Long> read(Connection connection) throws SQLException {
    return read(connection, Set.of());
  }

  /** How far some source partitions have got, or all of them if they are none or very many. */
  private Map<SourcePartition, Long> read(Connection connection, Set<SourcePartition> some)
      throws SQLException {
    Map<SourcePartition, Long> found = new TreeMap<>();
    boolean few = !some.isEmpty() && some.size() <= AT_ONCE;
    String only =
        few
            ? " and source in (" + String.join(", ", Collections.nCopies(some.size(), "?")) + ")"
            : "";
    try (PreparedStatement select =
        connection.prepareStatement(
            "select source, max(to_position) from wexrun.progress"
                + OURS
                + only
                + " group by source")) {
      ours(select);
      int at = 2;
      for (SourcePartition source : few ? some : Set.<SourcePartition>of()) {
        select.setString(++at, source.name());
      }
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          found.put(new SourcePartition(rows.getString(1)), rows.getLong(2));
        }
      }
    }
    return found;
  }

  /** How many rows of each source partition were committed. */
  Map<SourcePartition, Long> rows(Connection connection) throws SQLException {
    Map<SourcePartition, Long> found = new TreeMap<>();
    try (PreparedStatement select =
        connection.prepareStatement(
            "select source, max(all_rows) from wexrun.progress" + OURS + " group by source")) {
      ours(select);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          found.put(new SourcePartition(rows.getString(1)), rows.getLong(2));
        }
      }
    }
    found.remove(Replaced.SOURCE);
    return found;
  }

  private void ours(PreparedStatement statement) throws SQLException {
    statement.setString(1, table.text());
    statement.setString(2, writer);
  }

  /**
   * Moves source partitions on, if each is where it is expected to be. Where there is nothing to
   * move, it is only looked.
   *
   * @param expected where they are; those that are not there have not begun
   * @param ends where they come to, unless they are there already
   * @param rows how many rows of each are committed by that, over all time
   * @throws OutsideException that is lasting if one is not where it is expected
   */
  void move(
      Connection connection,
      Map<SourcePartition, Long> expected,
      Map<SourcePartition, Long> ends,
      Map<SourcePartition, Long> rows)
      throws SQLException {
    requireNotPast(connection, expected, ends);
    List<Map.Entry<SourcePartition, Long>> moved = new ArrayList<>();
    for (Map.Entry<SourcePartition, Long> end : ends.entrySet()) {
      if (end.getValue() > expected.getOrDefault(end.getKey(), NOTHING)) {
        moved.add(end);
      }
    }
    for (int from = 0; from < moved.size(); from += AT_ONCE) {
      insert(
          connection, moved.subList(from, Math.min(from + AT_ONCE, moved.size())), expected, rows);
    }
  }

  /**
   * Adds rows by one statement: one for each takes seconds with very many sources, and an appender
   * does not see that another transaction has the same key.
   */
  private void insert(
      Connection connection,
      List<Map.Entry<SourcePartition, Long>> moved,
      Map<SourcePartition, Long> expected,
      Map<SourcePartition, Long> rows)
      throws SQLException {
    String values = String.join(", ", Collections.nCopies(moved.size(), "(?, ?, ?, ?, ?, ?)"));
    try (PreparedStatement insert =
        connection.prepareStatement("insert into wexrun.progress values " + values)) {
      int at = 0;
      for (Map.Entry<SourcePartition, Long> end : moved) {
        insert.setString(++at, table.text());
        insert.setString(++at, writer);
        insert.setString(++at, end.getKey().name());
        insert.setLong(++at, expected.getOrDefault(end.getKey(), NOTHING));
        insert.setLong(++at, end.getValue());
        insert.setLong(++at, rows.getOrDefault(end.getKey(), 0L));
      }
      insert.executeUpdate();
    }
  }

  /**
   * Says that somebody else has gone on, if one of the source partitions is past where it should.
   */
  void requireNotPast(
      Connection connection, Map<SourcePartition, Long> expected, Map<SourcePartition, Long> ends)
      throws SQLException {
    if (ends.isEmpty()) {
      return;
    }
    Map<SourcePartition, Long> found = read(connection, ends.keySet());
    for (SourcePartition source : ends.keySet()) {
      if (found.getOrDefault(source, NOTHING) > expected.getOrDefault(source, NOTHING)) {
        throw OutsideException.lasting(
            "another run of "
                + writer
                + " has gone on with "
                + source
                + " in "
                + label
                + " since this one began. Stop one of them");
      }
    }
  }

  /** Keeps of each source partition only the last row. Nothing may be staged meanwhile. */
  void compact(Connection connection) throws SQLException {
    try (PreparedStatement delete =
        connection.prepareStatement(
            "delete from wexrun.progress as old"
                + OURS
                + " and exists (select 1 from wexrun.progress as new where new.table_id ="
                + " old.table_id and new.writer = old.writer and new.source = old.source and"
                + " new.to_position > old.to_position)")) {
      ours(delete);
      delete.executeUpdate();
    }
  }
}
