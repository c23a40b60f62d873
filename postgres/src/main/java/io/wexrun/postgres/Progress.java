package io.wexrun.postgres;

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
 * How far a writer has got with each source partition in a table: one row for each. It is moved on
 * only from where it is expected to be, and the row is locked by that until the commit, so that of
 * two writers who believe the same, one cannot commit.
 *
 * @param table who the table is
 * @param label the table and the store, for messages
 */
record Progress(Identity table, String writer, String label) {
  private static final String SELECT =
      "select source, position, all_rows from wexrun.progress where table_id = ? and writer = ?";
  private static final String MOVE =
      "update wexrun.progress set position = ?, all_rows = all_rows + ?"
          + " where table_id = ? and writer = ? and source = ? and position = ?";
  private static final String BEGIN =
      "insert into wexrun.progress (position, all_rows, table_id, writer, source)"
          + " values (?, ?, ?, ?, ?) on conflict do nothing";

  /**
   * How far a source partition has got.
   *
   * @param position up to where
   * @param rows how many rows of it were committed, over all time
   */
  record Reached(long position, long rows) {}

  /** How far each source partition has got. */
  Map<SourcePartition, Reached> read(Connection connection) throws SQLException {
    Map<SourcePartition, Reached> found = new TreeMap<>();
    try (PreparedStatement select = connection.prepareStatement(SELECT)) {
      select.setString(1, table.text());
      select.setString(2, writer);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          found.put(
              new SourcePartition(rows.getString(1)),
              new Reached(rows.getLong(2), rows.getLong(3)));
        }
      }
    }
    return found;
  }

  /**
   * Moves source partitions on, if each is where it is expected to be.
   *
   * @param expected where they are; those that are not there have not begun
   * @param ends where they come to, unless they are there already
   * @param more how many rows of each are committed by that
   * @throws OutsideException that is lasting if one is not where it is expected
   */
  void move(
      Connection connection,
      Map<SourcePartition, Long> expected,
      Map<SourcePartition, Long> ends,
      Map<SourcePartition, Long> more)
      throws SQLException {
    // In order, so that two writers never wait for each other.
    for (Map.Entry<SourcePartition, Long> end : new TreeMap<>(ends).entrySet()) {
      SourcePartition source = end.getKey();
      Long from = expected.get(source);
      long to = from == null ? end.getValue() : Math.max(from, end.getValue());
      if (!moves(connection, source, from, to, more.getOrDefault(source, 0L))) {
        throw notWhereExpected(connection, source, from);
      }
    }
  }

  private OutsideException notWhereExpected(
      Connection connection, SourcePartition source, Long from) throws SQLException {
    Reached now = read(connection).get(source);
    boolean less = from != null && (now == null || now.position() < from);
    return OutsideException.lasting(
        less
            ? label
                + " has less of "
                + source
                + " than when this run of "
                + writer
                + " began: another server took its place, or the table was put back. The next start"
                + " says what can be done"
            : "another run of "
                + writer
                + " has gone on with "
                + source
                + " in "
                + label
                + " since this one began. Stop one of them");
  }

  private boolean moves(
      Connection connection, SourcePartition source, Long from, long to, long rows)
      throws SQLException {
    try (PreparedStatement update = connection.prepareStatement(from == null ? BEGIN : MOVE)) {
      update.setLong(1, to);
      update.setLong(2, rows);
      update.setString(3, table.text());
      update.setString(4, writer);
      update.setString(5, source.name());
      if (from != null) {
        update.setLong(6, from);
      }
      return update.executeUpdate() == 1;
    }
  }
}
