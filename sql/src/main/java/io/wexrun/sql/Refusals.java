package io.wexrun.sql;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Refusal;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * The rows of a writer that a table has refused and that are not in the tally yet; kept in the
 * database by the transaction that went past them. For several threads.
 */
public final class Refusals {
  /** The table that they are kept in. */
  public static final String TABLE =
      "create table if not exists wexrun.refused (table_id varchar not null, writer varchar not"
          + " null, source varchar not null, position bigint not null, row_number integer not"
          + " null, why varchar not null)";

  private static final String OURS = " where table_id = ? and writer = ?";

  private final Identity table;
  private final String writer;
  private final List<Refusal> known = new ArrayList<>();

  private Refusals(Identity table, String writer) {
    this.table = table;
    this.writer = writer;
  }

  /** Those that were committed. */
  public static Refusals read(Connection connection, Identity table, String writer)
      throws SQLException {
    Refusals refusals = new Refusals(table, writer);
    try (PreparedStatement select =
        connection.prepareStatement(
            "select source, position, row_number, why from wexrun.refused"
                + OURS
                + " order by source, position, row_number")) {
      refusals.ours(select);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          refusals.known.add(
              new Refusal(
                  new SourcePartition(rows.getString(1)),
                  rows.getLong(2),
                  rows.getInt(3),
                  rows.getString(4)));
        }
      }
    }
    return refusals;
  }

  private void ours(PreparedStatement statement) throws SQLException {
    statement.setString(1, table.text());
    statement.setString(2, writer);
  }

  /** Whether there are none. */
  public synchronized boolean isEmpty() {
    return known.isEmpty();
  }

  /** Those of a part that lie before what was committed when the target was opened. */
  public synchronized List<Refusal> of(Flush.Part part, long done) {
    return known.stream()
        .filter(
            refusal ->
                refusal.source().equals(part.source())
                    && refusal.position() >= part.from()
                    && refusal.position() < Math.min(part.end(), done))
        .toList();
  }

  /** Writes more of them, in the connection's transaction. */
  public void remember(Connection connection, List<Refusal> more) throws SQLException {
    if (more.isEmpty()) {
      return;
    }
    try (PreparedStatement insert =
        connection.prepareStatement("insert into wexrun.refused values (?, ?, ?, ?, ?, ?)")) {
      for (Refusal refusal : more) {
        ours(insert);
        insert.setString(3, refusal.source().name());
        insert.setLong(4, refusal.position());
        insert.setInt(5, refusal.row());
        insert.setString(6, refusal.why());
        insert.addBatch();
      }
      insert.executeBatch();
    }
  }

  /** Those written before are committed. */
  public synchronized void committed(List<Refusal> more) {
    more.stream().filter(refusal -> !known.contains(refusal)).forEach(known::add);
  }

  /** Removes those before positions. */
  public synchronized void forget(Connection connection, Map<SourcePartition, Long> positions)
      throws SQLException {
    try (PreparedStatement delete =
        connection.prepareStatement(
            "delete from wexrun.refused" + OURS + " and source = ? and position < ?")) {
      for (Map.Entry<SourcePartition, Long> each : positions.entrySet()) {
        ours(delete);
        delete.setString(3, each.getKey().name());
        delete.setLong(4, each.getValue());
        delete.executeUpdate();
      }
    }
    known.removeIf(
        refusal -> refusal.position() < positions.getOrDefault(refusal.source(), Long.MIN_VALUE));
  }
}
