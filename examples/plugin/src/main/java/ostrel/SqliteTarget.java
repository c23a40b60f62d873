package ostrel;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Refusal;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Types;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.sqlite.SQLiteErrorCode;
import org.sqlite.SQLiteException;

/**
 * A table of an SQLite file. SQLite lets one transaction write at a time, so nothing is written
 * before the commit, which then does all in one.
 */
final class SqliteTarget implements Target {
  private static final String OURS = " where table_id = ? and writer = ?";

  private final SqliteStore store;
  private final String writer;
  private final Table table;
  private final Identity identity;
  private final Map<SourcePartition, Long> atOpening;
  private final Map<SourcePartition, Long> expected;

  SqliteTarget(SqliteStore store, String writer, Table table, Identity identity) {
    this.store = store;
    this.writer = writer;
    this.table = table;
    this.identity = identity;
    this.atOpening = store.transaction("read the progress of " + table.name(), this::progress);
    this.expected = new HashMap<>(atOpening);
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    return atOpening;
  }

  @Override
  public Optional<Identity> identity() {
    return Optional.of(identity);
  }

  @Override
  public Staged stage(Flush flush) {
    return () -> store.transaction("load rows into " + table.name(), c -> commit(c, flush));
  }

  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    String sql = "delete from wexrun_refused" + OURS + " and source = ? and position < ?";
    store.transaction(
        "forget what was refused",
        c -> {
          for (Map.Entry<SourcePartition, Long> each : positions.entrySet()) {
            update(c, sql, each.getKey().name(), each.getValue());
          }
          return null;
        });
  }

  @Override
  public void close() {
    // Nothing is open: what is staged is only in memory.
  }

  private Map<SourcePartition, Long> progress(Connection c) throws SQLException {
    Map<SourcePartition, Long> progress = new TreeMap<>();
    try (PreparedStatement select =
        prepare(c, "select source, position from wexrun_progress" + OURS)) {
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          progress.put(new SourcePartition(rows.getString(1)), rows.getLong(2));
        }
      }
    }
    return progress;
  }

  private PreparedStatement prepare(Connection c, String sql, Object... more) throws SQLException {
    PreparedStatement statement = c.prepareStatement(sql);
    statement.setString(1, identity.text());
    statement.setString(2, writer);
    for (int i = 0; i < more.length; i++) {
      statement.setObject(i + 3, more[i]);
    }
    return statement;
  }

  private void update(Connection c, String sql, Object... more) throws SQLException {
    try (PreparedStatement statement = prepare(c, sql, more)) {
      statement.executeUpdate();
    }
  }

  private Receipt commit(Connection c, Flush flush) throws SQLException {
    requireNotOvertaken(c, flush);
    List<Refusal> refused = new ArrayList<>();
    long[] writtenAndSkipped = new long[2];
    for (Flush.Part part : flush.parts()) {
      load(c, part, writtenAndSkipped, refused);
    }
    flush.progress().forEach((source, end) -> expected.merge(source, end, Math::max));
    for (SourcePartition source : flush.progress().keySet()) {
      update(
          c,
          "insert into wexrun_progress values (?, ?, ?, ?) on conflict (table_id, writer, source)"
              + " do update set position = excluded.position",
          source.name(),
          expected.get(source));
    }
    return new Receipt(writtenAndSkipped[0], writtenAndSkipped[1], refused);
  }

  private void requireNotOvertaken(Connection c, Flush flush) throws SQLException {
    Map<SourcePartition, Long> now = progress(c);
    for (SourcePartition source : flush.progress().keySet()) {
      if (!Optional.ofNullable(now.get(source)).equals(Optional.ofNullable(expected.get(source)))) {
        throw OutsideException.lasting(
            "another run of "
                + writer
                + " has gone on with "
                + source
                + " in table "
                + table.name()
                + " since this one began. Stop one of them");
      }
    }
  }

  private void load(Connection c, Flush.Part part, long[] writtenAndSkipped, List<Refusal> refused)
      throws SQLException {
    Rows rows = part.rows();
    Batch batch = rows.batch();
    long committed = atOpening.getOrDefault(part.source(), Long.MIN_VALUE);
    Map<String, Refusal> before = refusedBefore(c, part);
    long position = Long.MIN_VALUE;
    int row = 0;
    try (PreparedStatement insert = c.prepareStatement(insert())) {
      for (int i = 0; i < rows.count(); i++) {
        int at = rows.row(i);
        row = batch.position(at) == position ? row + 1 : 0;
        position = batch.position(at);
        Refusal refusal = before.get(position + "/" + row);
        if (refusal == null && position < committed) {
          writtenAndSkipped[1]++;
          continue;
        }
        if (refusal == null) {
          refusal = insert(insert, batch, at, part.source(), position, row);
        }
        if (refusal == null) {
          writtenAndSkipped[0]++;
          continue;
        }
        refused.add(refusal);
        update(
            c,
            "insert into wexrun_refused values (?, ?, ?, ?, ?, ?) on conflict do nothing",
            part.source().name(),
            position,
            row,
            refusal.why());
      }
    }
  }

  private String insert() {
    int columns = table.schema().size();
    return "insert into "
        + SqliteStore.quoted(table.name())
        + " values ("
        + String.join(", ", Collections.nCopies(columns, "?"))
        + ")";
  }

  private Map<String, Refusal> refusedBefore(Connection c, Flush.Part part) throws SQLException {
    Map<String, Refusal> before = new HashMap<>();
    String sql =
        "select position, row, why from wexrun_refused"
            + OURS
            + " and source = ? and position >= ? and position < ?";
    try (PreparedStatement select = prepare(c, sql, part.source().name(), part.from(), part.end());
        ResultSet rows = select.executeQuery()) {
      while (rows.next()) {
        Refusal refusal =
            new Refusal(part.source(), rows.getLong(1), rows.getInt(2), rows.getString(3));
        before.put(refusal.position() + "/" + refusal.row(), refusal);
      }
    }
    return before;
  }

  /** Inserts a row; what the store said if it breaks a constraint of the table's. */
  private Refusal insert(
      PreparedStatement insert, Batch batch, int at, SourcePartition source, long position, int row)
      throws SQLException {
    Schema schema = batch.schema();
    for (int column = 0; column < schema.size(); column++) {
      set(insert, column + 1, schema.column(column).type(), batch.column(column), at);
    }
    try {
      insert.executeUpdate();
      return null;
    } catch (SQLiteException e) {
      // The primary code stands in the low byte; the others say which kind of constraint.
      if ((e.getResultCode().code & 0xFF) != SQLiteErrorCode.SQLITE_CONSTRAINT.code) {
        throw e;
      }
      return new Refusal(source, position, row, e.getMessage());
    }
  }

  private static void set(PreparedStatement insert, int place, Type type, Vector from, int row)
      throws SQLException {
    if (from.absent(row)) {
      insert.setNull(place, Types.NULL);
    } else if (type == Type.Scalar.BYTES) {
      TextVector bytes = (TextVector) from;
      insert.setBytes(place, Arrays.copyOfRange(bytes.data(), bytes.start(row), bytes.end(row)));
    } else if (type == Type.Scalar.DOUBLE) {
      insert.setDouble(place, ((DoubleVector) from).get(row));
    } else if (type == Type.Scalar.BOOL || type == Type.Scalar.INT || type == Type.Scalar.LONG) {
      insert.setLong(place, ((LongVector) from).get(row));
    } else {
      insert.setString(place, ValueText.text(type, from, row));
    }
  }
}
