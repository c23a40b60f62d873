package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.arrow.c.ArrowArrayStream;
import org.apache.arrow.c.Data;
import org.apache.arrow.memory.BufferAllocator;
import org.duckdb.DuckDBConnection;

/**
 * A table of a DuckDB file. Each flush has a connection and a transaction of its own, in which the
 * rows come in as one Arrow stream and the progress as new rows. It takes a flush whole or fails.
 */
final class DuckDbTarget implements Target {
  private static final String STREAM = "wexrun_rows";
  private static final int COMPACT_AFTER = 1000;

  private final DuckDbStore store;
  private final Table table;
  private final Identity identity;
  private final Progress progress;
  private final Map<SourcePartition, Long> atOpening;
  private final Map<SourcePartition, Long> rowsAtOpening;
  private final Map<SourcePartition, Long> expected;
  private final Map<SourcePartition, Long> rows;
  private final Set<StagedFlush> staged = new HashSet<>();
  private int commits;

  DuckDbTarget(DuckDbStore store, String writer, Table table, Identity identity) {
    this.store = store;
    this.table = table;
    this.identity = identity;
    this.progress = new Progress(identity, writer, "table " + table.name() + " of " + store);
    this.atOpening = store.with("read the progress of table " + table.name(), progress::read);
    this.rowsAtOpening = store.with("read the progress of table " + table.name(), progress::rows);
    this.expected = new HashMap<>(atOpening);
    this.rows = new HashMap<>(rowsAtOpening);
    compact();
  }

  /** A flush that is staged would not see that somebody has gone on, if that were removed. */
  private void compact() {
    store.withoutStaged("compact the progress of table " + table.name(), progress::compact);
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
  public Map<SourcePartition, Long> rows() {
    return rowsAtOpening;
  }

  @Override
  public int parallelism() {
    return 2;
  }

  @Override
  public Staged stage(Flush flush) {
    List<Rows> parts = new ArrayList<>();
    Map<SourcePartition, Long> more = new HashMap<>();
    long rows = 0;
    for (Flush.Part part : flush.parts()) {
      Rows fresh = part.rows().from(atOpening.getOrDefault(part.source(), Long.MIN_VALUE));
      if (fresh.count() > 0) {
        parts.add(fresh);
        rows += fresh.count();
        more.merge(part.source(), (long) fresh.count(), Long::sum);
      }
    }
    StagedFlush result = new StagedFlush(store.connectToStage(), flush.progress(), more);
    synchronized (staged) {
      staged.add(result);
    }
    long written = rows == 0 ? 0 : result.insert(parts);
    result.receipt = new Receipt(written, flush.rows() - rows);
    return result;
  }

  @Override
  public void close() {
    synchronized (staged) {
      staged.forEach(StagedFlush::close);
      staged.clear();
    }
  }

  /** A transaction with the rows of a flush. */
  private final class StagedFlush implements Staged {
    private final DuckDBConnection connection;
    private final Map<SourcePartition, Long> ends;
    private final Map<SourcePartition, Long> more;
    private Receipt receipt;

    StagedFlush(
        DuckDBConnection connection,
        Map<SourcePartition, Long> ends,
        Map<SourcePartition, Long> more) {
      this.connection = connection;
      this.ends = ends;
      this.more = more;
    }

    private long insert(List<Rows> parts) {
      try (BufferAllocator allocator = store.allocator();
          ArrowRows reader = new ArrowRows(allocator, table.schema(), parts);
          ArrowArrayStream stream = ArrowArrayStream.allocateNew(allocator)) {
        Data.exportArrayStream(allocator, reader, stream);
        try (Statement statement = connection.createStatement()) {
          connection.registerArrowStream(STREAM, stream);
          List<Column> columns = table.schema().columns();
          return statement.executeLargeUpdate(Sql.insert(table.name(), columns, STREAM));
        } catch (SQLException e) {
          if (reader.failure() != null) {
            e.addSuppressed(reader.failure());
          }
          throw store.failed("load rows into table " + table.name(), e);
        }
      } catch (IOException e) {
        throw new OutsideException("cannot hand rows to " + store + ": " + e.getMessage(), e);
      }
    }

    /** Commits come in the order of the flushes, so only here it is known where each goes on. */
    @Override
    public Receipt commit() {
      try {
        Map<SourcePartition, Long> all = new HashMap<>(rows);
        more.forEach((source, count) -> all.merge(source, count, Long::sum));
        progress.move(connection, expected, ends, all);
        connection.commit();
        rows.putAll(all);
        ends.forEach((source, end) -> expected.merge(source, end, Math::max));
      } catch (SQLException e) {
        // If somebody else went on from the same place meanwhile, that is why.
        store.with("read progress", c -> requireNotPast(c));
        throw store.failed("commit rows to table " + table.name(), e);
      }
      synchronized (staged) {
        staged.remove(this);
      }
      close();
      if (++commits % COMPACT_AFTER == 0) {
        compact();
      }
      return receipt;
    }

    private boolean requireNotPast(DuckDBConnection fresh) throws SQLException {
      progress.requireNotPast(fresh, expected, ends);
      return true;
    }

    /** Closing a connection rolls back what it has not committed. */
    private void close() {
      try {
        store.disconnectStaged(connection);
      } catch (SQLException e) {
        throw store.failed("close a connection", e);
      }
    }
  }
}
