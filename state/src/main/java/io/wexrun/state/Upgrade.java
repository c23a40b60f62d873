package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;

/**
 * Brings a state to the version that this Wexrun writes. Before anything is changed, a copy of the
 * file is made beside it, which the older Wexrun can use.
 *
 * @param from the version before
 * @param statements what makes the next version of it, in one transaction
 */
record Upgrade(int from, List<String> statements) {
  /** The first version that can be brought to the present one. */
  static final int FIRST = 2;

  /** From the first version on, each makes the next one. */
  private static final List<Upgrade> ALL =
      List.of(
          // Runs, and the turns of a pipeline's texts, are tables of their own, made as always.
          new Upgrade(2, List.of()),
          // What is replayed, and what was accounted for over time, are tables of their own.
          new Upgrade(
              3,
              List.of(
                  "alter table source_tally add column revived bigint not null default 0",
                  "alter table source_tally add column began bigint",
                  "alter table source_tally add column newest bigint")),
          // Rebuilds are tables of their own.
          new Upgrade(4, List.of()));

  /** The version that this Wexrun writes. */
  static final int VERSION = FIRST + ALL.size();

  /** Whether a run is under way. */
  @FunctionalInterface
  interface Busy {
    boolean get() throws IOException;
  }

  /**
   * Brings a state to the present version, and notes it; a new one has it at once.
   *
   * @param busy whether some pipeline of the workspace runs, by an older Wexrun then
   * @throws OutsideException if the state is of a newer Wexrun, too old, or in use
   */
  static void bring(Connection connection, Path file, Busy busy) throws SQLException, IOException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("create table if not exists state_version (version integer primary key)");
      int version = version(statement);
      if (version > VERSION) {
        throw new OutsideException(
            "the workspace's state "
                + file
                + " was written by a newer Wexrun (version "
                + version
                + ", and this one writes "
                + VERSION
                + "): use that one, or put back the copy from before the upgrade, if there is one"
                + " beside it");
      }
      if (version != 0 && version < FIRST) {
        throw new OutsideException(
            "the workspace's state "
                + file
                + " was written by a Wexrun before the first release (version "
                + version
                + "), which this one does not read: begin with a new workspace");
      }
      if (version != 0 && version < VERSION) {
        if (busy.get()) {
          throw new OutsideException(
              "the workspace's state "
                  + file
                  + " is of an older Wexrun, which runs pipelines of it now: stop that run first");
        }
        copy(connection, file.resolveSibling("state-" + version + ".db"));
      }
      if (version < VERSION) {
        change(statement);
      }
    }
  }

  private static void change(Statement statement) throws SQLException {
    statement.execute("begin immediate");
    try {
      int version = version(statement); // Another process may have done it meanwhile.
      for (Upgrade each : version == 0 ? List.<Upgrade>of() : ALL) {
        if (each.from >= version) {
          for (String change : each.statements) {
            statement.execute(change);
          }
        }
      }
      statement.execute("delete from state_version");
      statement.execute("insert into state_version values (" + VERSION + ")");
      statement.execute("commit");
    } catch (SQLException e) {
      statement.execute("rollback");
      throw e;
    }
  }

  private static int version(Statement statement) throws SQLException {
    try (ResultSet rows =
        statement.executeQuery("select coalesce(max(version), 0) from state_version")) {
      rows.next();
      return rows.getInt(1);
    }
  }

  /** Copies the state as it is, whole or not at all; an earlier copy of that version goes. */
  private static void copy(Connection connection, Path copy) throws SQLException, IOException {
    Path part = copy.resolveSibling(copy.getFileName() + ".part");
    Files.deleteIfExists(part);
    try (PreparedStatement into = connection.prepareStatement("vacuum into ?")) {
      into.setString(1, part.toString());
      into.execute();
    }
    Files.move(part, copy, StandardCopyOption.REPLACE_EXISTING, StandardCopyOption.ATOMIC_MOVE);
  }
}
