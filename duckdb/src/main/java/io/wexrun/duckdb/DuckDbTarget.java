package io.wexrun.duckdb;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import io.wexrun.sql.AddedColumns;
import io.wexrun.sql.Hourly;
import io.wexrun.sql.Loading;
import io.wexrun.sql.Names;
import io.wexrun.sql.Refusals;
import io.wexrun.sql.Replaced;
import java.sql.SQLException;
import java.time.InstantSource;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.duckdb.DuckDBConnection;

/**
 * A table of a DuckDB file. Each flush has a connection and a transaction of its own, in which the
 * rows come in as one Arrow stream and the progress as new rows. Rows that the table does not take
 * are found and refused.
 */
final class DuckDbTarget implements Target {
  private static final int COMPACT_AFTER = 1000;

  private final DuckDbStore store;
  private final Table table;
  private final Identity identity;
  private final Progress progress;
  private final Map<SourcePartition, Long> atOpening;
  private final Map<SourcePartition, Long> rowsAtOpening;
  private final Map<SourcePartition, Long> expected;

  /** Whether it is counted how many rows took the places of others. */
  private final boolean counts;

  private final Map<SourcePartition, Long> rows;
  private final String writer;
  private final Optional<AddedColumns> added;
  private final Insertion insertion;
  private final Refusals refusals;
  private final Hourly forgetting = new Hourly();
  private final Set<StagedFlush> staged = new HashSet<>();
  private int commits;

  DuckDbTarget(DuckDbStore store, String writer, Table table, Identity identity) {
    this.store = store;
    this.table = table;
    this.identity = identity;
    this.progress = new Progress(identity, writer, "table " + table.name() + " of " + store);
    this.expected =
        new HashMap<>(store.with("read the progress of table " + table.name(), progress::read));
    this.counts = Replaced.counts(table, expected);
    this.atOpening = Replaced.without(expected);
    this.rowsAtOpening = store.with("read the progress of table " + table.name(), progress::rows);
    this.rows = new HashMap<>(rowsAtOpening);
    this.writer = writer;
    this.added = AddedColumns.of(table, DuckDbStore.DIALECT);
    this.insertion =
        new Insertion(
            store,
            table,
            added,
            store.with(
                "read the columns of table " + table.name(),
                c -> StoredTypes.zoneless(DuckDbStore.DIALECT.columns(c, table.name()))));
    this.refusals = new Refusals(identity, writer, InstantSource.system());
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
    // Two could each wait for a row of the other, or for a column that the other adds.
    return table.key().isEmpty() && added.isEmpty() ? 2 : 1;
  }

  @Override
  public Staged stage(Flush flush) {
    if (table.rollup().isPresent()) {
      return new Merge(flush);
    }
    if (added.isPresent()) {
      addColumns(added.get(), flush);
      StagedFlush result = open(flush); // Its transaction begins with what it loads.
      result.after = store.unaltered(table.name());
      result.load(flush);
      return result;
    }
    StagedFlush result = open(flush);
    result.load(flush);
    return result;
  }

  /** Adds columns while nobody has a flush under way that would clash with that. */
  private void addColumns(AddedColumns columns, Flush flush) {
    if (columns.needs(flush)) {
      store.altering(
          table.name(),
          () ->
              store.atOnce(
                  "add columns to table " + table.name(),
                  c -> {
                    columns.add(c, identity, writer, flush);
                    return flush;
                  }));
    }
  }

  private StagedFlush open(Flush flush) {
    StagedFlush result = new StagedFlush(store.connectToStage(), flush.progress());
    synchronized (staged) {
      staged.add(result);
    }
    return result;
  }

  /**
   * A flush whose rows are merged into those that are there: all of it happens at the commit, in a
   * transaction that sees all before it.
   */
  private final class Merge implements Staged {
    private final Flush flush;

    Merge(Flush flush) {
      this.flush = flush;
    }

    @Override
    public Receipt commit() {
      return store.merging(
          () -> {
            StagedFlush transaction = open(flush);
            transaction.load(flush);
            return transaction.commit();
          });
    }
  }

  /** What was refused and is accounted for need not be known any more. */
  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    if (forgetting.due()) {
      store.with(
          "forget refused rows",
          c -> {
            refusals.forget(c, positions);
            return null;
          });
    }
  }

  @Override
  public void close() {
    synchronized (staged) {
      staged.forEach(StagedFlush::close);
      staged.clear();
    }
  }

  /** A transaction with the rows of a flush. */
  private final class StagedFlush implements Staged, Loading.Inserting {
    private final DuckDBConnection connection;
    private final Map<SourcePartition, Long> ends;
    private Loading loading;
    private Runnable after = () -> {};

    StagedFlush(DuckDBConnection connection, Map<SourcePartition, Long> ends) {
      this.connection = connection;
      this.ends = ends;
    }

    void load(Flush flush) {
      try {
        loading = Loading.of(connection, table, flush, atOpening, refusals, this);
      } catch (SQLException e) {
        throw store.failed("load rows into table " + table.name(), e);
      }
    }

    @Override
    public long insert(List<Rows> rows) throws SQLException {
      return insertion.insert(connection, rows);
    }

    @Override
    public boolean isAboutRows(SQLException failure) {
      return Insertion.isAboutRows(failure);
    }

    @Override
    public void takeBack() throws SQLException {
      connection.rollback();
    }

    @Override
    public Optional<String> failure(List<Rows> rows) throws SQLException {
      return insertion.failure(rows);
    }

    @Override
    public Map<Integer, String> unfit(List<Rows> rows, Loading.Searched searched)
        throws SQLException {
      return insertion.unfit(rows, searched);
    }

    @Override
    public void remember(Rows refused) throws SQLException {
      insertion.stream(
          connection,
          Refusals.SCHEMA,
          List.of(refused),
          "insert into "
              + Refusals.NAME
              + " ("
              + Names.list(Refusals.SCHEMA.names())
              + ") "
              + Sql.select(Refusals.SCHEMA.columns(), Insertion.STREAM));
    }

    /** Commits come in the order of the flushes, so only here it is known where each goes on. */
    @Override
    public Receipt commit() {
      store.requireFile();
      try {
        Map<SourcePartition, Long> all = new HashMap<>(rows);
        loading.more().forEach((source, count) -> all.merge(source, count, Long::sum));
        Map<SourcePartition, Long> moved = counts ? Replaced.with(ends, expected, loading) : ends;
        progress.move(connection, expected, moved, all);
        connection.commit();
        rows.putAll(all);
        moved.forEach((source, end) -> expected.merge(source, end, Math::max));
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
      return loading.receipt();
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
      } finally {
        after.run();
        after = () -> {};
      }
    }
  }
}
