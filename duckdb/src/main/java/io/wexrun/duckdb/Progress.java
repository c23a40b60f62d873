package io.wexrun.duckdb;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.Map;
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

  private static final String OURS = " where table_id = ? and writer = ?";

  /** How far each source partition has got. */
  Map<SourcePartition, Long> read(Connection connection) throws SQLException {
    Map<SourcePartition, Long> found = new TreeMap<>();
    try (PreparedStatement select =
        connection.prepareStatement(
            "select source, max(to_position) from wexrun.progress" + OURS + " group by source")) {
      ours(select);
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
    try (PreparedStatement insert =
        connection.prepareStatement("insert into wexrun.progress values (?, ?, ?, ?, ?, ?)")) {
      boolean any = false;
      for (Map.Entry<SourcePartition, Long> end : ends.entrySet()) {
        long from = expected.getOrDefault(end.getKey(), NOTHING);
        if (end.getValue() > from) {
          ours(insert);
          insert.setString(3, end.getKey().name());
          insert.setLong(4, from);
          insert.setLong(5, end.getValue());
          insert.setLong(6, rows.getOrDefault(end.getKey(), 0L));
          insert.addBatch();
          any = true;
        }
      }
      if (any) {
        insert.executeBatch();
      }
    }
  }

  /**
   * Says that somebody else has gone on, if one of the source partitions is past where it should.
   */
  void requireNotPast(
      Connection connection, Map<SourcePartition, Long> expected, Map<SourcePartition, Long> ends)
      throws SQLException {
    Map<SourcePartition, Long> found = read(connection);
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
