package io.wexrun.sql;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Refusal;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * The rows of a writer that a table has refused; kept in the database by the transaction that went
 * past them. They are read only when their range comes again, and are forgotten when they are
 * accounted for and old: a tally that is restored from a backup may ask for them again. For several
 * threads.
 *
 * @param table who the table is
 */
public record Refusals(Identity table, String writer, InstantSource clock) {
  /** The table that they are kept in. */
  public static final String TABLE =
      "create table if not exists wexrun.refused (table_id varchar not null, writer varchar not"
          + " null, source varchar not null, position bigint not null, row_number integer not"
          + " null, why varchar not null)";

  /** When it was, in milliseconds since 1970; null in rows of earlier versions. */
  public static final String TIME =
      "alter table wexrun.refused add column if not exists refused_at bigint";

  /** The table's name, as SQL writes it. */
  public static final String NAME = "wexrun.refused";

  /** The table's columns. */
  public static final Schema SCHEMA =
      Schema.of(
          new Column("table_id", Type.Scalar.TEXT, true),
          new Column("writer", Type.Scalar.TEXT, true),
          new Column("source", Type.Scalar.TEXT, true),
          new Column("position", Type.Scalar.LONG, true),
          new Column("row_number", Type.Scalar.INT, true),
          new Column("why", Type.Scalar.TEXT, true),
          Column.of("refused_at", Type.Scalar.LONG));

  /** How long they are kept at least. */
  public static final Duration KEPT = Duration.ofDays(8);

  private static final String OURS = " where table_id = ? and writer = ?";

  private void ours(PreparedStatement statement) throws SQLException {
    statement.setString(1, table.text());
    statement.setString(2, writer);
  }

  /** Those of a part that lie before what was committed when the target was opened. */
  List<Refusal> of(Connection connection, Flush.Part part, long done) throws SQLException {
    List<Refusal> refused = new ArrayList<>();
    if (part.from() >= done) {
      return refused;
    }
    try (PreparedStatement select =
        connection.prepareStatement(
            "select position, row_number, why from wexrun.refused"
                + OURS
                + " and source = ? and position >= ? and position < ?"
                + " order by position, row_number")) {
      ours(select);
      select.setString(3, part.source().name());
      select.setLong(4, part.from());
      select.setLong(5, Math.min(part.end(), done));
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          refused.add(
              new Refusal(part.source(), rows.getLong(1), rows.getInt(2), rows.getString(3)));
        }
      }
    }
    return refused;
  }

  /** More of them as rows of {@link #NAME}, to be inserted in the transaction of their flush. */
  Rows rows(List<Refusal> more) {
    List<Vector> columns = new ArrayList<>();
    SCHEMA.columns().forEach(c -> columns.add(Vectors.forType(c.type(), more.size())));
    long now = clock.millis();
    for (Refusal refusal : more) {
      ((TextVector) columns.get(0)).append(table.text());
      ((TextVector) columns.get(1)).append(writer);
      ((TextVector) columns.get(2)).append(refusal.source().name());
      ((LongVector) columns.get(3)).append(refusal.position());
      ((LongVector) columns.get(4)).append(refusal.row());
      ((TextVector) columns.get(5)).append(refusal.why());
      ((LongVector) columns.get(6)).append(now);
    }
    return Rows.all(Batch.ofNoRecords(SCHEMA, columns, more.size()));
  }

  /** Removes old ones before positions that are accounted for. */
  public void forget(Connection connection, Map<SourcePartition, Long> positions)
      throws SQLException {
    if (!any(connection)) {
      return;
    }
    try (PreparedStatement delete =
        connection.prepareStatement(
            "delete from wexrun.refused"
                + OURS
                + " and source = ? and position < ? and (refused_at is null or refused_at < ?)")) {
      for (Map.Entry<SourcePartition, Long> each : positions.entrySet()) {
        ours(delete);
        delete.setString(3, each.getKey().name());
        delete.setLong(4, each.getValue());
        delete.setLong(5, clock.millis() - KEPT.toMillis());
        delete.executeUpdate();
      }
    }
  }

  private static boolean any(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery("select 1 from wexrun.refused limit 1")) {
      return rows.next();
    }
  }
}
