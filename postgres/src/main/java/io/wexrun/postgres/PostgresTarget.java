package io.wexrun.postgres;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
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
import io.wexrun.sql.RollingUp;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Savepoint;
import java.sql.Statement;
import java.time.InstantSource;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import org.postgresql.PGConnection;
import org.postgresql.copy.CopyIn;

/**
 * A table of a PostgreSQL database. Each flush has a connection and a transaction of its own, into
 * which the rows are copied; the progress is moved when it is committed. Rows that the table does
 * not take are found and refused.
 */
final class PostgresTarget implements Target {
  /**
   * Classes of SQL states that are about rows: data, constraints, raised by triggers, limits. A
   * wrong binary form is not: a column has another type than when the table was opened.
   */
  private static final Pattern ABOUT_ROWS = Pattern.compile("(?!22P03)(22|23|P0|54|44).*");

  private static final String KIND =
      "select relkind::text from pg_class where oid = to_regclass(?)";

  /** The temporary table of rows that are to take the places of others. */
  private static final String BESIDE = "wexrun_rows";

  private final PostgresStore store;
  private final Table table;
  private final Identity identity;
  private final String writer;
  private final Optional<AddedColumns> added;
  private volatile Columns stored;

  /** Not partitioned or a view: only then it is told whether a row took another's place. */
  private boolean ordinary;

  private final Progress progress;
  private final Map<SourcePartition, Long> atOpening;
  private final Map<SourcePartition, Long> rowsAtOpening = new HashMap<>();
  private final Map<SourcePartition, Long> expected = new HashMap<>();

  /** Whether it is counted how many rows took the places of others. */
  private final boolean counts;

  private final Refusals refusals;
  private final Hourly forgetting = new Hourly();
  private final Set<StagedFlush> staged = new HashSet<>();

  PostgresTarget(PostgresStore store, String writer, Table table, Identity identity) {
    this.store = store;
    this.table = table;
    this.identity = identity;
    this.writer = writer;
    this.added = AddedColumns.of(table, PostgresStore.DIALECT);
    this.progress = new Progress(identity, writer, store.label(table.name()));
    this.refusals =
        store.transaction(
            "read the progress of table " + table.name(),
            c -> {
              progress
                  .read(c)
                  .forEach(
                      (source, reached) -> {
                        expected.put(source, reached.position());
                        rowsAtOpening.put(source, reached.rows());
                      });
              rowsAtOpening.remove(Replaced.SOURCE);
              stored = Columns.of(c, table.name());
              ordinary =
                  Catalog.one(c, KIND, Names.name(table.name())).filter("r"::equals).isPresent();
              return new Refusals(identity, writer, InstantSource.system());
            });
    this.counts = ordinary && Replaced.counts(table, expected);
    this.atOpening = Replaced.without(expected);
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
    return Map.copyOf(rowsAtOpening);
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
    if (added.isPresent() && added.get().needs(flush)) {
      store.transaction(
          "add columns to table " + table.name(),
          c -> {
            lock(c);
            added.get().add(c, identity, writer, flush);
            stored = Columns.of(c, table.name());
            return flush;
          });
    }
    StagedFlush result = open(flush);
    result.load(flush);
    return result;
  }

  /** Whoever changes groups or columns of the table lets the others wait until it is done. */
  private void lock(Connection connection) throws SQLException {
    try (PreparedStatement lock =
        connection.prepareStatement("select pg_advisory_xact_lock(hashtextextended(?, 0))")) {
      lock.setString(1, identity.text());
      lock.execute();
    }
  }

  private StagedFlush open(Flush flush) {
    StagedFlush result = new StagedFlush(store.connect(), flush.progress());
    synchronized (staged) {
      staged.add(result);
    }
    return result;
  }

  /**
   * A flush whose rows are merged into those that are there: all of it happens at the commit, in a
   * transaction that has the table's groups for itself.
   */
  private final class Merge implements Staged {
    private final Flush flush;

    Merge(Flush flush) {
      this.flush = flush;
    }

    @Override
    public Receipt commit() {
      StagedFlush transaction = open(flush);
      transaction.lockTable();
      transaction.load(flush);
      return transaction.commit();
    }
  }

  /** What was refused and is accounted for need not be known any more. */
  @Override
  public void accounted(Map<SourcePartition, Long> positions) {
    if (forgetting.due()) {
      store.transaction(
          "forget refused rows",
          c -> {
            refusals.forget(c, positions);
            return positions;
          });
    }
  }

  @Override
  public void close() {
    synchronized (staged) {
      staged.forEach(flush -> store.giveBack(flush.connection, false));
      staged.clear();
    }
  }

  /** Copies rows in the connection's transaction, or lets them take the places of others. */
  private long put(Connection connection, List<Rows> rows) throws SQLException {
    if (table.rollup().isPresent()) {
      return put(connection, table, new RollingUp(table).merged(connection, rows));
    }
    if (added.isPresent()) {
      AddedColumns.Filled filled = added.get().fill(rows).orThrow();
      return put(connection, filled.table(), filled.rows());
    }
    return put(connection, table, rows);
  }

  private long put(Connection connection, Table into, List<Rows> rows) throws SQLException {
    if (into.key().isEmpty()) {
      if (stored.binary(into.schema())) {
        copy(connection, into, rows);
      } else {
        copyAsText(connection, into, rows);
      }
      return rows.stream().mapToLong(Rows::count).sum();
    }
    List<String> columns = into.schema().names();
    Table beside = new Table(BESIDE, "", into.schema(), Map.of());
    try (Statement statement = connection.createStatement()) {
      String create = PostgresStore.DIALECT.createTable(beside);
      statement.execute(create.replaceFirst("create table", "create temp table"));
      copy(connection, beside, rows);
      String insert =
          "insert into "
              + Names.name(into.name())
              + " ("
              + Names.list(columns)
              + ") select "
              + stored.assigned(into.schema().columns())
              + " from "
              + Names.name(BESIDE)
              + Names.replacing(into.key(), columns);
      long grown = 0;
      if (counts) {
        try (ResultSet fresh = statement.executeQuery(counting(insert))) {
          fresh.next();
          grown = fresh.getLong(1);
        }
      } else {
        statement.execute(insert);
      }
      statement.execute("drop table " + Names.name(BESIDE));
      return grown;
    }
  }

  /** A row that took another's place is a new version of it, which its transaction has locked. */
  private static String counting(String insert) {
    return "with put as ("
        + insert
        + " returning xmax::text as locked) select count(*) from put where locked = '0'";
  }

  private static void copyAsText(Connection connection, Table into, List<Rows> rows)
      throws SQLException {
    CopyIn copy = begin(connection, Names.name(into.name()), into.schema(), "text");
    try {
      new CopyText(into.schema()).send(rows, copy);
      copy.endCopy();
    } finally {
      if (copy.isActive()) {
        copy.cancelCopy();
      }
    }
  }

  private static CopyIn begin(Connection connection, String into, Schema schema, String format)
      throws SQLException {
    return connection
        .unwrap(PGConnection.class)
        .getCopyAPI()
        .copyIn(
            "copy "
                + into
                + " ("
                + Names.list(schema.names())
                + ") from stdin (format "
                + format
                + ")");
  }

  static void copy(Connection connection, Table into, List<Rows> rows) throws SQLException {
    copy(connection, Names.name(into.name()), into.schema(), rows);
  }

  private static void copy(Connection connection, String into, Schema schema, List<Rows> rows)
      throws SQLException {
    CopyIn copy = begin(connection, into, schema, "binary");
    try {
      new CopyRows(schema).send(rows, copy);
      copy.endCopy();
    } finally {
      if (copy.isActive()) {
        copy.cancelCopy();
      }
    }
  }

  /** Whether a statement failed because of its rows; a measure that does not fit is one, too. */
  static boolean isAboutRows(SQLException failure) {
    return ABOUT_ROWS.matcher(String.valueOf(failure.getSQLState())).matches();
  }

  /** A transaction with the rows of a flush. */
  private final class StagedFlush implements Staged, Loading.Inserting {
    private final Connection connection;
    private final Map<SourcePartition, Long> ends;
    private Savepoint empty;
    private Loading loading;

    StagedFlush(Connection connection, Map<SourcePartition, Long> ends) {
      this.connection = connection;
      this.ends = ends;
    }

    /** Lets nobody else merge rows into the table until the transaction ends. */
    void lockTable() {
      try {
        lock(connection);
      } catch (SQLException e) {
        throw store.failed("lock table " + table.name(), e);
      }
    }

    void load(Flush flush) {
      try (Statement statement = connection.createStatement()) {
        // A constraint that is looked at only at the commit would refuse the whole flush.
        statement.execute("set constraints all immediate");
        empty = connection.setSavepoint();
        loading = Loading.of(connection, table, flush, atOpening, refusals, this);
        requireUnchanged();
      } catch (SQLException e) {
        throw store.failed("load rows into table " + table.name(), e);
      }
    }

    /**
     * Now that rows are in, the table cannot be altered until the transaction ends. If it was
     * before, values may have been read in the binary form of another type.
     */
    private void requireUnchanged() throws SQLException {
      if (!Columns.of(connection, table.name()).has(stored)) {
        throw new OutsideException(
            store.label(table.name()) + " was altered while it was open: it is opened again");
      }
    }

    @Override
    public long insert(List<Rows> rows) throws SQLException {
      return put(connection, rows);
    }

    @Override
    public boolean isAboutRows(SQLException failure) {
      return PostgresTarget.isAboutRows(failure);
    }

    @Override
    public void takeBack() throws SQLException {
      connection.rollback(empty);
    }

    @Override
    public Optional<String> failure(List<Rows> rows) throws SQLException {
      Optional<String> failure = Optional.empty();
      try {
        put(connection, rows);
      } catch (SQLException e) {
        if (!isAboutRows(e)) {
          throw e;
        }
        failure = Optional.of(PostgresStore.message(e));
      }
      takeBack();
      return failure;
    }

    @Override
    public Map<Integer, String> unfit(List<Rows> rows, Loading.Searched searched)
        throws SQLException {
      if (table.rollup().isPresent()) {
        return Map.of(); // Groups are refused, not rows.
      }
      if (added.isPresent()) {
        AddedColumns.Filled filled = added.get().fill(rows);
        return filled.unfit().isEmpty()
            ? new Search(connection, filled.table(), stored).unfit(filled.rows(), searched)
            : filled.unfit();
      }
      return new Search(connection, table, stored).unfit(rows, searched);
    }

    @Override
    public void remember(Rows refused) throws SQLException {
      copy(connection, Refusals.NAME, Refusals.SCHEMA, List.of(refused));
    }

    /** Commits come in the order of the flushes, so only here it is known where each goes on. */
    @Override
    public Receipt commit() {
      boolean well = false;
      Map<SourcePartition, Long> moved;
      try {
        moved = counts ? Replaced.with(ends, expected, loading) : ends;
        progress.move(connection, expected, moved, loading.more());
        connection.commit();
        well = true;
      } catch (SQLException e) {
        throw store.failed("commit rows to table " + table.name(), e);
      } finally {
        synchronized (staged) {
          staged.remove(this);
        }
        store.giveBack(connection, well);
      }
      moved.forEach((source, end) -> expected.merge(source, end, Math::max));
      return loading.receipt();
    }
  }
}
