package io.wexrun.duckdb;

import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.target.AddedColumn;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Swapping;
import io.wexrun.core.target.TableDifference;
import io.wexrun.core.target.Target;
import io.wexrun.sql.AddedColumns;
import io.wexrun.sql.Answers;
import io.wexrun.sql.Comparison;
import io.wexrun.sql.Dialect;
import io.wexrun.sql.LiveColumns;
import io.wexrun.sql.Names;
import io.wexrun.sql.Replaced;
import io.wexrun.sql.Shadows;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.attribute.BasicFileAttributes;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Properties;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.StampedLock;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.memory.RootAllocator;
import org.duckdb.DuckDBConnection;

/** A DuckDB file. One process at a time has it open; within it, any number of threads. */
final class DuckDbStore implements Store, Comparing, Querying, Swapping {
  /** DuckDB names the holder of a file in the middle of a longer text. */
  private static final Pattern HOLDER =
      Pattern.compile("Conflicting lock is held in (.*?) \\(PID (\\d+)\\)");

  private static final long PATIENCE_NANOS = 1_000_000_000;

  static final Dialect DIALECT = new DuckDbDialect();
  private static final Comparison COMPARISON = new Comparison(DIALECT);

  private final String name;
  private final Path file;
  private final Object opened;
  private final DuckDBConnection connection;
  private final Identity identity;
  private final RootAllocator root = new RootAllocator();

  /** What the database takes of memory without counting it, such as for long texts and lists. */
  static final long UNTRACKED = 512L << 20;

  private final Object merging = new Object();
  private final Map<String, StampedLock> locks = new ConcurrentHashMap<>();
  private int staged;
  private final long memory;

  /**
   * Opens a file.
   *
   * @param folders beside the file itself, the only places where SQL may read and write files
   */
  DuckDbStore(String name, Path file, long memory, List<Path> folders) {
    this.memory = memory;
    this.name = name;
    this.file = file;
    Properties settings = new Properties();
    settings.setProperty("memory_limit", memory + "B");
    // Code is never loaded from the network, whatever a file or a query asks for.
    settings.setProperty("autoinstall_known_extensions", "false");
    settings.setProperty("autoload_known_extensions", "false");
    settings.setProperty("allow_community_extensions", "false");
    settings.setProperty("enable_external_access", "false");
    settings.setProperty(
        "allowed_directories",
        folders.stream()
            .map(folder -> Names.text(folder.toAbsolutePath().normalize() + "/"))
            .collect(Collectors.joining(", ", "[", "]")));
    DuckDBConnection connected = null;
    Identity found = null;
    Object key = null;
    try {
      connected = connect(settings);
      found = Catalog.prepare(connected);
      key = Files.readAttributes(file, BasicFileAttributes.class).fileKey();
    } catch (IOException e) {
      throw new OutsideException("cannot look at " + file + ": " + Failure.told(e), e);
    } catch (SQLException e) {
      throw cannotOpen(e);
    } catch (LinkageError e) {
      throw new OutsideException(
          "DuckDB's native library cannot be unpacked into "
              + System.getProperty("java.io.tmpdir")
              + ": "
              + cause(e)
              + ". Make room there (80 MB), or name another folder with -Djava.io.tmpdir",
          e);
    }
    this.connection = connected;
    this.identity = found;
    this.opened = key;
  }

  @Override
  public Identity identity() {
    return identity;
  }

  /** Who only looks holds the file for a moment: so it is tried again for a while. */
  private DuckDBConnection connect(Properties settings) throws SQLException {
    long until = System.nanoTime() + PATIENCE_NANOS;
    while (true) {
      try {
        return (DuckDBConnection) DriverManager.getConnection("jdbc:duckdb:" + file, settings);
      } catch (SQLException e) {
        boolean held = HOLDER.matcher(String.valueOf(e.getMessage())).find();
        if (!held || System.nanoTime() > until) {
          throw e;
        }
      }
      try {
        Thread.sleep(50);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new OutsideException("interrupted while " + this + " was held", e);
      }
    }
  }

  private static String cause(Throwable failure) {
    Throwable deepest = failure;
    while (deepest.getCause() != null) {
      deepest = deepest.getCause();
    }
    return String.valueOf(deepest.getMessage());
  }

  private OutsideException cannotOpen(SQLException e) {
    Matcher holder = HOLDER.matcher(String.valueOf(e.getMessage()));
    if (holder.find()) {
      return new OutsideException(
          this
              + " is held by process "
              + holder.group(2)
              + " ("
              + holder.group(1)
              + "); stop that one, or wait until it ends",
          e);
    }
    if (isAnother(e)) {
      return OutsideException.lasting(
          "cannot open "
              + this
              + ": it is not a DuckDB database ("
              + firstLine(e)
              + "). Name another file, or move this one");
    }
    return new OutsideException("cannot open " + this + ": " + firstLine(e), e);
  }

  /**
   * Whether something else than a DuckDB database is in the file, by what DuckDB says: to look into
   * it and close it again would give up this process's lock on the file.
   */
  private static boolean isAnother(SQLException e) {
    String message = String.valueOf(e.getMessage());
    return message.contains("not a valid DuckDB") || message.contains("xtension");
  }

  private static String firstLine(SQLException e) {
    return String.valueOf(e.getMessage()).lines().findFirst().orElse("").strip();
  }

  OutsideException failed(String what, SQLException e) {
    String message = String.valueOf(e.getMessage()).strip();
    return new OutsideException(
        "cannot "
            + what
            + " in "
            + this
            + ": "
            + message
            + ". Nothing of this flush is in the table; mend that and run again",
        e);
  }

  /** Work on the store's own connection. */
  @FunctionalInterface
  interface Work<T> {
    T on(DuckDBConnection connection) throws SQLException;
  }

  synchronized <T> T with(String what, Work<T> work) {
    try {
      return work.on(connection);
    } catch (SQLException e) {
      throw failed(what, e);
    }
  }

  /** A new connection in a transaction of its own. */
  DuckDBConnection connect() {
    return with(
        "connect",
        c -> {
          DuckDBConnection other = c.duplicate();
          other.setAutoCommit(false);
          return other;
        });
  }

  /** A new connection for a flush, counted until it is given back. */
  synchronized DuckDBConnection connectToStage() {
    requireFile();
    DuckDBConnection other = connect();
    staged++;
    return other;
  }

  /**
   * Requires that the file is still the one that was opened: what is written to a file that was
   * removed is lost with this process.
   */
  void requireFile() {
    try {
      Object now = Files.readAttributes(file, BasicFileAttributes.class).fileKey();
      if (Objects.equals(now, opened)) {
        return;
      }
    } catch (NoSuchFileException e) {
      // As if another one stood there.
    } catch (IOException e) {
      throw new OutsideException("cannot look at " + file + ": " + Failure.told(e), e);
    }
    throw OutsideException.lasting(
        this
            + " was removed or replaced while this run had it open. Nothing more is loaded into it;"
            + " stop this run, put the file back if you have it, and start again: the start says"
            + " what the table has, and what can be done");
  }

  /** Closes a connection for a flush; what it has not committed is rolled back. */
  void disconnectStaged(DuckDBConnection other) throws SQLException {
    other.close();
    synchronized (this) {
      staged--;
    }
  }

  /** Changes a table while no flush of it is under way; other flushes of it wait. */
  void altering(String table, Runnable work) {
    StampedLock lock = locks.computeIfAbsent(table, name -> new StampedLock());
    long stamp = lock.writeLock();
    try {
      work.run();
    } finally {
      lock.unlockWrite(stamp);
    }
  }

  /**
   * Keeps a table as it is while a flush of it is under way; of one that may be altered.
   *
   * @return what ends that, from any thread
   */
  Runnable unaltered(String table) {
    StampedLock lock = locks.computeIfAbsent(table, name -> new StampedLock());
    long stamp = lock.readLock();
    return () -> lock.unlockRead(stamp);
  }

  /** Merges rows into groups, one flush after the other, whatever tables they go to. */
  <T> T merging(Supplier<T> work) {
    synchronized (merging) {
      return work.get();
    }
  }

  /** Does work if no flush is staged at this moment, and none comes meanwhile. */
  synchronized void withoutStaged(String what, Deed deed) {
    if (staged == 0) {
      with(
          what,
          c -> {
            deed.on(c);
            return null;
          });
    }
  }

  /** Something done on the store's own connection. */
  @FunctionalInterface
  interface Deed {
    void on(DuckDBConnection connection) throws SQLException;
  }

  /** Does several things on the store's own connection, all or none. */
  synchronized <T> T atOnce(String what, Work<T> work) {
    return with(
        what,
        c -> {
          c.setAutoCommit(false);
          try {
            T result = work.on(c);
            c.commit();
            return result;
          } catch (SQLException | RuntimeException e) {
            c.rollback();
            throw e;
          } finally {
            c.setAutoCommit(true);
          }
        });
  }

  BufferAllocator allocator() {
    return root.newChildAllocator(name, 0, Long.MAX_VALUE);
  }

  @Override
  public Target target(String writer, Table table) {
    with("prepare", DuckDbStore::dropOrder);
    Identity who =
        atOnce(
            "make table " + table.name(),
            c -> {
              COMPARISON.manage(c, table, this);
              requireSame(c, table);
              return Catalog.identify(c, table.name());
            });
    return new DuckDbTarget(this, writer, table, who);
  }

  @Override
  public Optional<Standing> standing(String writer, String table) {
    return with(
        "look at table " + table,
        c -> {
          Optional<Identity> who = Catalog.known(c, table);
          if (who.isEmpty()) {
            return Optional.of(Standing.ABSENT);
          }
          Progress progress = new Progress(who.get(), writer, "table " + table + " of " + this);
          return Optional.of(
              new Standing(who, Replaced.without(progress.read(c)), progress.rows(c)));
        });
  }

  @Override
  public void swap(List<Exchange> exchanges) {
    Shadows.Renaming renaming =
        new Shadows.Renaming() {
          @Override
          public void renamed(Connection c, String from, String to) throws SQLException {
            Catalog.renamed(c, from, to);
          }
        };
    atOnce(
        "put tables in the places of others",
        c -> {
          Shadows.swap(c, DIALECT, exchanges, this, renaming);
          return null;
        });
  }

  @Override
  public Map<Long, Long> copy(String table, String shadow, Map<Long, Long> before) {
    return atOnce(
        "take rows of table " + table + " over",
        c -> Shadows.copy(c, DIALECT, table, shadow, before));
  }

  @Override
  public void drop(String table) {
    atOnce(
        "drop table " + table,
        c -> {
          Shadows.drop(c, table, Catalog.known(c, table));
          Catalog.forget(c, table);
          return null;
        });
  }

  /**
   * Lets inserts write rows in any order, which takes a third off their cost: a table has no order.
   * A process that only asks keeps the order in which rows came.
   */
  private static boolean dropOrder(Connection c) throws SQLException {
    try (Statement statement = c.createStatement()) {
      return statement.execute("set preserve_insertion_order = false");
    }
  }

  /** A table that is there must have the same columns in the same order and of the same types. */
  private void requireSame(Connection connection, Table table) throws SQLException {
    Optional<TableDifference> difference =
        COMPARISON.of(connection, table).filter(TableDifference::stops);
    if (difference.isPresent()) {
      throw new OutsideException(
          "table "
              + table.name()
              + " in "
              + this
              + " has other columns than wexrun.yaml says: "
              + Comparison.told(difference.get())
              + ". 'wexrun check' shows the difference"
              + (difference.get().ddl().isEmpty()
                  ? ""
                  : " and the statements that would close it"));
    }
  }

  @Override
  public Optional<TableDifference> compare(Table table) {
    return with("compare table " + table.name(), c -> COMPARISON.of(c, table));
  }

  @Override
  public boolean has(String table) {
    return with("look for table " + table, c -> !DIALECT.columns(c, table).isEmpty());
  }

  @Override
  public List<AddedColumn> added(String table) {
    return with(
        "look for columns of " + table,
        c -> {
          Optional<Identity> who = Catalog.known(c, table);
          return who.isEmpty() ? List.<AddedColumn>of() : AddedColumns.read(c, who.get());
        });
  }

  @Override
  public Optional<Schema> columns(String table) {
    return with("look at table " + table, c -> LiveColumns.of(DIALECT, c, table));
  }

  @Override
  public OptionalLong rows(Table table) {
    if (!has(table.name())) {
      return OptionalLong.empty();
    }
    return OptionalLong.of(
        with("count the rows of " + table.name(), c -> Answers.count(c, table.name())));
  }

  @Override
  public OptionalLong replaced(Table table) {
    return with(
        "look at table " + table.name(),
        c -> {
          Optional<Identity> who = Catalog.known(c, table.name());
          return who.isPresent() && Replaced.of(table)
              ? Replaced.of(c, who.get(), "to_position")
              : OptionalLong.empty();
        });
  }

  @Override
  public String ddl(Table table) {
    return DIALECT.ddl(table);
  }

  @Override
  public Answer query(String sql, QueryBounds bounds) {
    return run(
        connection -> {
          OnlyReads.require(connection, sql, this, "; 'wexrun sql --write' runs others");
          try (Statement statement = connection.createStatement()) {
            statement.execute("begin transaction read only");
            return Answers.to(statement, sql, PlainValues::plain, bounds, memory + UNTRACKED);
          }
        });
  }

  @Override
  public Answer change(String sql) {
    return run(
        connection -> {
          try (Statement statement = connection.createStatement()) {
            statement.execute("begin transaction");
            Answer answer = Answers.to(statement, sql, PlainValues::plain);
            statement.execute("commit");
            return answer;
          }
        });
  }

  private Answer run(Work<Answer> work) {
    try (DuckDBConnection other = with("connect", c -> (DuckDBConnection) c.duplicate())) {
      return work.on(other);
    } catch (SQLException e) {
      throw new OutsideException(
          this + " does not take the query: " + String.valueOf(e.getMessage()).strip(), e);
    }
  }

  @Override
  public String toString() {
    return "store " + name + " (" + file + ")";
  }

  @Override
  public synchronized void close() {
    try {
      connection.close();
    } catch (SQLException e) {
      throw failed("close", e);
    }
    root.close();
  }
}
