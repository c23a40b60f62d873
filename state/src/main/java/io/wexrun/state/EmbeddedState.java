package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.tally.Corrections;
import io.wexrun.core.tally.TallyStore;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Optional;
import java.util.stream.Stream;
import org.sqlite.SQLiteConfig;

/**
 * The state in a folder: a SQLite file, and lock files beside it.
 *
 * <p>If the last accounts are lost with the power, their ranges are taken again and the targets
 * skip what they have, so the file is not synced on every account.
 *
 * <p>A state of an older Wexrun is copied beside itself, and brought to what this one writes.
 */
public final class EmbeddedState implements WorkspaceState {
  private static final String FILE = "state.db";
  private static final String LOCKS = "locks";

  private final Path folder;
  private final SqlDatabase database;
  private final SqlTally tally;
  private final SqlCorrections corrections;
  private final SqlTexts texts;
  private final SqlHistory history;
  private final SqlRunHistory runs;
  private final SqlReplays replays;
  private final SqlRebuilds rebuilds;

  private EmbeddedState(Path folder, SqlDatabase database) {
    this.folder = folder;
    this.database = database;
    this.tally = new SqlTally(database);
    this.corrections = new SqlCorrections(database);
    this.texts = new SqlTexts(database);
    this.history = new SqlHistory(database);
    this.runs = new SqlRunHistory(database);
    this.replays = new SqlReplays(database);
    this.rebuilds = new SqlRebuilds(database, tally);
  }

  /**
   * Opens the state in a folder, making both if they are not there.
   *
   * @throws OutsideException if the file cannot be used, or was written by a newer Wexrun
   */
  public static WorkspaceState open(Path folder) {
    Path file = folder.resolve(FILE);
    try {
      Files.createDirectories(folder);
      SQLiteConfig config = new SQLiteConfig();
      config.setJournalMode(SQLiteConfig.JournalMode.WAL);
      config.setSynchronous(SQLiteConfig.SynchronousMode.NORMAL);
      config.setTransactionMode(SQLiteConfig.TransactionMode.DEFERRED);
      config.setBusyTimeout(30_000);
      Connection first = config.createConnection("jdbc:sqlite:" + file);
      try {
        prepare(first, folder, file);
      } finally {
        first.close();
      }
      SqlDatabase.Opener opener =
          () -> {
            Connection connection = config.createConnection("jdbc:sqlite:" + file);
            connection.setAutoCommit(false);
            return connection;
          };
      return new EmbeddedState(folder, new SqlDatabase(opener, file.toString()));
    } catch (SQLException | IOException e) {
      throw new OutsideException(
          "cannot open the workspace's state " + file + ": " + e.getMessage(), e);
    }
  }

  /** The state in a folder, but only if there is some already. */
  public static Optional<WorkspaceState> openIfAny(Path folder) {
    return Files.exists(folder.resolve(FILE)) ? Optional.of(open(folder)) : Optional.empty();
  }

  private static void prepare(Connection connection, Path folder, Path file)
      throws SQLException, IOException {
    Upgrade.bring(connection, file, () -> isAnyHeld(folder));
    try (Statement statement = connection.createStatement()) {
      for (String table : SqlTally.TABLES) {
        statement.execute(table);
      }
      statement.execute(SqlTimeTally.TABLE);
      statement.execute(SqlMarks.TABLE);
      for (String table : SqlCorrections.TABLES) {
        statement.execute(table);
      }
      for (String table : SqlTexts.TABLES) {
        statement.execute(table);
      }
      for (String table : SqlReplays.TABLES) {
        statement.execute(table);
      }
      for (String table : SqlRebuilds.TABLES) {
        statement.execute(table);
      }
      statement.execute(SqlHistory.TABLE);
      statement.execute(SqlRunHistory.TABLE);
    }
  }

  private static boolean isAnyHeld(Path folder) throws IOException {
    Path locks = folder.resolve(LOCKS);
    if (!Files.isDirectory(locks)) {
      return false;
    }
    try (Stream<Path> files = Files.list(locks)) {
      return files.anyMatch(Hold::isHeld);
    }
  }

  @Override
  public TallyStore tally() {
    return tally;
  }

  @Override
  public Corrections corrections() {
    return corrections;
  }

  @Override
  public PipelineTexts texts() {
    return texts;
  }

  @Override
  public History history() {
    return history;
  }

  @Override
  public RunHistory runs() {
    return runs;
  }

  @Override
  public Replays replays() {
    return replays;
  }

  @Override
  public Rebuilds rebuilds() {
    return rebuilds;
  }

  @Override
  public boolean isHeld(String pipeline) {
    return Hold.isHeld(folder.resolve(LOCKS).resolve(pipeline + ".lock"));
  }

  @Override
  public Hold hold(String pipeline) {
    Path locks = folder.resolve(LOCKS);
    try {
      Files.createDirectories(locks);
    } catch (IOException e) {
      throw new OutsideException("cannot make the folder " + locks + ": " + e.getMessage(), e);
    }
    return Hold.take(locks.resolve(pipeline + ".lock"), "pipeline " + pipeline);
  }

  @Override
  public void close() {
    database.close();
  }
}
