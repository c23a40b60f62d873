package io.wexrun.state;

import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.sqlite.SQLiteConfig;

/**
 * The state of a workspace in SQLite. For several threads, and for several processes at once.
 *
 * <p>The state is written behind the targets: what it says is done has been committed by them. If
 * the last accounts are lost with the power, their ranges are taken again and the targets skip what
 * they have, so the file is not synced on every account.
 */
public final class WorkspaceState implements TallyStore, AutoCloseable {
  private static final int VERSION = 1;

  /** Statements that SQLite and PostgreSQL both take. */
  private static final List<String> TABLES =
      List.of(
          "create table if not exists state_version (version integer primary key)",
          """
          create table if not exists source_tally (
            pipeline text not null,
            source text not null,
            position bigint not null,
            taken bigint not null,
            unfolded bigint not null,
            copied bigint not null,
            dropped bigint not null,
            primary key (pipeline, source))""",
          """
          create table if not exists loaded_tally (
            pipeline text not null,
            source text not null,
            target text not null,
            loaded bigint not null,
            primary key (pipeline, source, target))""",
          """
          create table if not exists dead_tally (
            pipeline text not null,
            source text not null,
            reason text not null,
            dead bigint not null,
            primary key (pipeline, source, reason))""",
          """
          create table if not exists pipeline_text (
            pipeline text primary key,
            text text not null)""");

  private static final String MOVE =
      "update source_tally set position = ?, taken = taken + ?, unfolded = unfolded + ?,"
          + " copied = copied + ?, dropped = dropped + ?"
          + " where pipeline = ? and source = ? and position = ?";
  private static final String BEGIN =
      "insert into source_tally (position, taken, unfolded, copied, dropped, pipeline, source)"
          + " values (?, ?, ?, ?, ?, ?, ?) on conflict (pipeline, source) do nothing";
  private static final String LOADED =
      "insert into loaded_tally (pipeline, source, target, loaded) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, target)"
          + " do update set loaded = loaded_tally.loaded + excluded.loaded";
  private static final String DEAD =
      "insert into dead_tally (pipeline, source, reason, dead) values (?, ?, ?, ?)"
          + " on conflict (pipeline, source, reason)"
          + " do update set dead = dead_tally.dead + excluded.dead";

  private final Connection connection;
  private final Path file;

  private WorkspaceState(Connection connection, Path file) {
    this.connection = connection;
    this.file = file;
  }

  /**
   * Opens the state, making it if it is not there.
   *
   * @throws OutsideException if the file cannot be used, or was written by a newer Wexrun
   */
  public static WorkspaceState open(Path file) {
    try {
      Files.createDirectories(file.toAbsolutePath().getParent());
      SQLiteConfig config = new SQLiteConfig();
      config.setJournalMode(SQLiteConfig.JournalMode.WAL);
      config.setSynchronous(SQLiteConfig.SynchronousMode.NORMAL);
      config.setTransactionMode(SQLiteConfig.TransactionMode.DEFERRED);
      config.setBusyTimeout(30_000);
      Connection connection = config.createConnection("jdbc:sqlite:" + file);
      WorkspaceState state = new WorkspaceState(connection, file);
      state.prepare();
      return state;
    } catch (SQLException | IOException e) {
      throw new OutsideException(
          "cannot open the workspace's state " + file + ": " + e.getMessage(), e);
    }
  }

  private void prepare() throws SQLException {
    try (Statement statement = connection.createStatement()) {
      for (String table : TABLES) {
        statement.execute(table);
      }
      statement.execute(
          "insert into state_version values (" + VERSION + ") on conflict (version) do nothing");
      try (ResultSet rows = statement.executeQuery("select max(version) from state_version")) {
        rows.next();
        if (rows.getInt(1) > VERSION) {
          throw new OutsideException(
              "the workspace's state "
                  + file
                  + " was written by a newer Wexrun (version "
                  + rows.getInt(1)
                  + "): use that one");
        }
      }
    }
    connection.setAutoCommit(false);
  }

  /** Work on the connection, as one transaction. */
  @FunctionalInterface
  private interface Work<T> {
    T on(Connection connection) throws SQLException;
  }

  private synchronized <T> T transaction(String what, Work<T> work) {
    try {
      T result = work.on(connection);
      connection.commit();
      return result;
    } catch (SQLException e) {
      rollback(e);
      throw new OutsideException(
          "cannot "
              + what
              + " in "
              + file
              + ": "
              + e.getMessage()
              + ". Nothing was changed; mend that and run again",
          e);
    } catch (RuntimeException e) {
      rollback(e);
      throw e;
    }
  }

  private void rollback(Exception cause) {
    try {
      connection.rollback();
    } catch (SQLException e) {
      cause.addSuppressed(e);
    }
  }

  @Override
  public Map<SourcePartition, Long> positions(String pipeline) {
    return transaction(
        "read positions",
        c -> {
          Map<SourcePartition, Long> positions = new TreeMap<>();
          query(
              c,
              "select source, position from source_tally where pipeline = ?",
              pipeline,
              row -> positions.put(new SourcePartition(row.getString(1)), row.getLong(2)));
          return positions;
        });
  }

  @Override
  public void account(String pipeline, List<Account> accounts) {
    transaction(
        "write the tally",
        c -> {
          for (Account account : accounts) {
            move(c, pipeline, account);
          }
          return null;
        });
  }

  private void move(Connection c, String pipeline, Account account) throws SQLException {
    Counts counts = account.counts();
    String source = account.source().name();
    int moved;
    try (PreparedStatement update = c.prepareStatement(MOVE)) {
      sums(update, account.to(), counts, pipeline, source);
      update.setLong(8, account.from());
      moved = update.executeUpdate();
    }
    if (moved == 0) {
      try (PreparedStatement insert = c.prepareStatement(BEGIN)) {
        sums(insert, account.to(), counts, pipeline, source);
        moved = insert.executeUpdate();
      }
    }
    if (moved == 0) {
      throw new OutsideException(
          "the tally of pipeline "
              + pipeline
              + " does not stand at position "
              + account.from()
              + " of "
              + source
              + " any more: another run has gone on with it. Stop one of them");
    }
    for (Map.Entry<String, Long> loaded : counts.loaded().entrySet()) {
      add(c, LOADED, pipeline, source, loaded.getKey(), loaded.getValue());
    }
    for (Map.Entry<Reason, Long> dead : counts.dead().entrySet()) {
      add(c, DEAD, pipeline, source, dead.getKey().code(), dead.getValue());
    }
  }

  private static void sums(
      PreparedStatement statement, long position, Counts counts, String pipeline, String source)
      throws SQLException {
    statement.setLong(1, position);
    statement.setLong(2, counts.taken());
    statement.setLong(3, counts.unfolded());
    statement.setLong(4, counts.copied());
    statement.setLong(5, counts.dropped());
    statement.setString(6, pipeline);
    statement.setString(7, source);
  }

  private static void add(
      Connection c, String sql, String pipeline, String source, String name, long count)
      throws SQLException {
    try (PreparedStatement insert = c.prepareStatement(sql)) {
      insert.setString(1, pipeline);
      insert.setString(2, source);
      insert.setString(3, name);
      insert.setLong(4, count);
      insert.executeUpdate();
    }
  }

  @Override
  public Tally tally(String pipeline) {
    return transaction(
        "read the tally",
        c -> {
          long[] sums = new long[5];
          Map<String, Long> loaded = new TreeMap<>();
          Map<Reason, Long> dead = new EnumMap<>(Reason.class);
          query(
              c,
              "select count(*), coalesce(sum(taken), 0), coalesce(sum(unfolded), 0),"
                  + " coalesce(sum(copied), 0), coalesce(sum(dropped), 0)"
                  + " from source_tally where pipeline = ?",
              pipeline,
              row -> {
                for (int i = 0; i < sums.length; i++) {
                  sums[i] = row.getLong(i + 1);
                }
              });
          query(
              c,
              "select target, sum(loaded) from loaded_tally where pipeline = ? group by target",
              pipeline,
              row -> loaded.put(row.getString(1), row.getLong(2)));
          query(
              c,
              "select reason, sum(dead) from dead_tally where pipeline = ? group by reason",
              pipeline,
              row -> dead.put(Reason.of(row.getString(1)).orElseThrow(), row.getLong(2)));
          Counts counts = new Counts(sums[1], sums[2], sums[3], loaded, dead, sums[4]);
          return new Tally(pipeline, counts, 0, (int) sums[0]);
        });
  }

  /** The text with which a pipeline ran last, as it was given to {@link #keepText}. */
  public Optional<String> text(String pipeline) {
    return transaction(
        "read a pipeline's text",
        c -> {
          String[] text = new String[1];
          query(
              c,
              "select text from pipeline_text where pipeline = ?",
              pipeline,
              row -> text[0] = row.getString(1));
          return Optional.ofNullable(text[0]);
        });
  }

  /** Keeps the text with which a pipeline runs from now on. */
  public void keepText(String pipeline, String text) {
    transaction(
        "keep a pipeline's text",
        c -> {
          try (PreparedStatement put =
              c.prepareStatement(
                  "insert into pipeline_text (pipeline, text) values (?, ?)"
                      + " on conflict (pipeline) do update set text = excluded.text")) {
            put.setString(1, pipeline);
            put.setString(2, text);
            return put.executeUpdate();
          }
        });
  }

  /** Takes one row of a result. */
  @FunctionalInterface
  private interface RowTaker {
    void take(ResultSet row) throws SQLException;
  }

  private static void query(Connection c, String sql, String pipeline, RowTaker taker)
      throws SQLException {
    try (PreparedStatement select = c.prepareStatement(sql)) {
      select.setString(1, pipeline);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          taker.take(rows);
        }
      }
    }
  }

  @Override
  public synchronized void close() {
    try {
      connection.close();
    } catch (SQLException e) {
      throw new OutsideException("cannot close " + file + ": " + e.getMessage(), e);
    }
  }
}
