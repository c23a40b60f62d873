package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.apache.arrow.c.ArrowArrayStream;
import org.apache.arrow.c.Data;
import org.apache.arrow.memory.BufferAllocator;
import org.duckdb.DuckDBConnection;

/**
 * A table of a DuckDB file. Each flush has a connection and a transaction of its own, in which the
 * rows come in as one Arrow stream and the progress as new rows of {@code wexrun.progress}:
 * appended rows of two transactions never conflict, changed ones would.
 */
final class DuckDbTarget implements Target {
  private static final String STREAM = "wexrun_rows";

  private final DuckDbStore store;
  private final String pipeline;
  private final Table table;
  private final Map<SourcePartition, Long> progress;
  private final Set<StagedFlush> staged = new HashSet<>();

  DuckDbTarget(DuckDbStore store, String pipeline, Table table) {
    this.store = store;
    this.pipeline = pipeline;
    this.table = table;
    this.progress = readProgress();
  }

  private Map<SourcePartition, Long> readProgress() {
    String ours =
        " where pipeline = " + Sql.text(pipeline) + " and target = " + Sql.text(table.name());
    return store.with(
        "read the progress of table " + table.name(),
        connection -> {
          Map<SourcePartition, Long> found = new TreeMap<>();
          long rows = 0;
          try (Statement statement = connection.createStatement();
              ResultSet row =
                  statement.executeQuery(
                      "select source, max(position), count(*) from wexrun.progress"
                          + ours
                          + " group by source")) {
            while (row.next()) {
              found.put(new SourcePartition(row.getString(1)), row.getLong(2));
              rows += row.getLong(3);
            }
          }
          if (rows > found.size()) {
            compact(connection, ours);
          }
          return found;
        });
  }

  /** Keeps of each source partition's progress only the last. */
  private static void compact(DuckDBConnection connection, String ours) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute(
          "delete from wexrun.progress as old"
              + ours
              + " and exists (select 1 from wexrun.progress as new where new.pipeline ="
              + " old.pipeline and new.target = old.target and new.source = old.source and"
              + " new.position > old.position)");
    }
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    return progress;
  }

  @Override
  public int parallelism() {
    return 2;
  }

  @Override
  public Staged stage(Flush flush) {
    List<Rows> parts = new ArrayList<>();
    long rows = 0;
    for (Flush.Part part : flush.parts()) {
      Rows fresh = part.rows().from(progress.getOrDefault(part.source(), Long.MIN_VALUE));
      if (fresh.count() > 0) {
        parts.add(fresh);
        rows += fresh.count();
      }
    }
    StagedFlush result = new StagedFlush(store.connect());
    synchronized (staged) {
      staged.add(result);
    }
    long written = rows == 0 ? 0 : result.insert(parts);
    result.progress(flush.progress());
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
    private Receipt receipt;

    StagedFlush(DuckDBConnection connection) {
      this.connection = connection;
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

    private void progress(Map<SourcePartition, Long> ends) {
      try (PreparedStatement insert =
          connection.prepareStatement("insert into wexrun.progress values (?, ?, ?, ?)")) {
        for (Map.Entry<SourcePartition, Long> end : ends.entrySet()) {
          insert.setString(1, pipeline);
          insert.setString(2, table.name());
          insert.setString(3, end.getKey().name());
          insert.setLong(4, end.getValue());
          insert.addBatch();
        }
        insert.executeBatch();
      } catch (SQLException e) {
        throw store.failed("write the progress of table " + table.name(), e);
      }
    }

    @Override
    public Receipt commit() {
      try {
        connection.commit();
      } catch (SQLException e) {
        throw store.failed("commit rows to table " + table.name(), e);
      }
      synchronized (staged) {
        staged.remove(this);
      }
      close();
      return receipt;
    }

    /** Closing a connection rolls back what it has not committed. */
    private void close() {
      try {
        connection.close();
      } catch (SQLException e) {
        throw store.failed("close a connection", e);
      }
    }
  }
}
