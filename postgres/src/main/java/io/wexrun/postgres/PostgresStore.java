package io.wexrun.postgres;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
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
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Properties;
import java.util.Set;
import org.postgresql.Driver;
import org.postgresql.util.PSQLException;
import org.postgresql.util.ServerErrorMessage;

/**
 * A PostgreSQL database. Connections that are lost are made anew when they are needed; what was
 * under way on them fails, and may be tried again.
 */
final class PostgresStore implements Store, Comparing, Querying, Swapping {
  static final Dialect DIALECT = new PostgresDialect();
  private static final Comparison COMPARISON = new Comparison(DIALECT);

  /** States of SQL that nobody but a person can mend: login and names that are not there. */
  private static final Set<String> LASTING = Set.of("28000", "28P01", "3D000", "3F000", "42501");

  /** The state of SQL that a right is missing. */
  static final String NO_RIGHT = "42501";

  private static final String QUERY_CANCELED = "57014";

  private final String name;
  private final String url;
  private final Properties properties;
  private final Deque<Connection> idle = new ArrayDeque<>();
  private Identity identity;
  private boolean closed;

  PostgresStore(String name, String url, Properties properties) {
    this.name = name;
    this.url = url;
    this.properties = properties;
  }

  /** A URL without what may be secret in it. */
  static String shown(String url) {
    return url.replaceFirst("[?].*", "").replaceFirst("//[^/@]*@", "//");
  }

  @Override
  public synchronized Identity identity() {
    if (identity == null) {
      identity = transaction("look who it is", Catalog::prepare);
    }
    return identity;
  }

  /** Work on a connection, as one transaction. */
  @FunctionalInterface
  interface Work<T> {
    T on(Connection connection) throws SQLException;
  }

  <T> T transaction(String what, Work<T> work) {
    Connection connection = connect();
    boolean well = false;
    try {
      T result = work.on(connection);
      connection.commit();
      well = true;
      return result;
    } catch (SQLException e) {
      throw failed(what, e);
    } finally {
      giveBack(connection, well);
    }
  }

  /** A connection in a transaction of its own; who gets it gives it back. */
  Connection connect() {
    try {
      while (true) {
        Connection found;
        synchronized (this) {
          found = idle.poll();
        }
        if (found == null) {
          break;
        }
        if (found.isValid(5)) {
          found.rollback(); // The question whether it is valid has begun a transaction.
          return found;
        }
        closeQuietly(found);
      }
      Connection fresh = new Driver().connect(url, properties);
      fresh.setAutoCommit(false);
      return fresh;
    } catch (SQLException e) {
      throw cannotConnect(e);
    }
  }

  /** Takes a connection back; what it has not committed is rolled back. */
  void giveBack(Connection connection, boolean well) {
    boolean kept = well;
    try {
      if (!well) {
        connection.rollback();
        kept = true;
      }
    } catch (SQLException e) {
      kept = false; // It is lost, and what was under way with it.
    }
    synchronized (this) {
      if (kept && !closed) {
        idle.push(connection);
        return;
      }
    }
    closeQuietly(connection);
  }

  /** What becomes of a lost connection is of no interest any more; the server forgets it. */
  private static void closeQuietly(Connection connection) {
    try {
      connection.close();
    } catch (SQLException e) {
      System.getLogger(PostgresStore.class.getName())
          .log(System.Logger.Level.DEBUG, "a connection was lost", e);
    }
  }

  private OutsideException cannotConnect(SQLException e) {
    String message = "cannot reach " + this + ": " + message(e);
    return LASTING.contains(String.valueOf(e.getSQLState()))
        ? OutsideException.lasting(message)
        : new OutsideException(message, e);
  }

  OutsideException failed(String what, SQLException e) {
    boolean right = NO_RIGHT.equals(e.getSQLState());
    String message =
        "cannot "
            + what
            + " in "
            + this
            + ": "
            + message(e)
            + (right ? ". 'wexrun check' says which rights are missing" : "");
    return LASTING.contains(String.valueOf(e.getSQLState()))
        ? OutsideException.lasting(message)
        : new OutsideException(message, e);
  }

  /** What the server or the driver says, with the detail, in one line. */
  static String message(SQLException e) {
    ServerErrorMessage server = e instanceof PSQLException p ? p.getServerErrorMessage() : null;
    if (server == null) {
      return String.valueOf(e.getMessage()).lines().findFirst().orElse("").strip();
    }
    return words(server.getMessage(), server.getDetail());
  }

  /**
   * What the server says, with the detail; but for the whole row, which would make every message
   * another one, and which who reads it has.
   */
  static String words(String message, String detail) {
    boolean more =
        detail != null && !detail.isEmpty() && !detail.startsWith("Failing row contains");
    return message + (more ? " (" + detail + ")" : "");
  }

  @Override
  public Target target(String writer, Table table) {
    identity();
    Identity who =
        transaction(
            "make table " + table.name(),
            c -> {
              Catalog.hold(c);
              COMPARISON.manage(c, table, this);
              requireSame(c, table);
              return Catalog.identify(c, table.name());
            });
    return new PostgresTarget(this, writer, table, who);
  }

  private void requireSame(Connection connection, Table table) throws SQLException {
    Optional<TableDifference> difference =
        COMPARISON.of(connection, table).filter(TableDifference::stops);
    if (difference.isPresent()) {
      throw OutsideException.lasting(
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
  public Optional<Standing> standing(String writer, String table) {
    return transaction(
        "look at table " + table,
        c -> {
          Optional<Identity> who = Catalog.isThere(c) ? Catalog.known(c, table) : Optional.empty();
          return Optional.of(
              who.map(it -> new Progress(it, writer, label(table)))
                  .map(progress -> standing(c, progress))
                  .orElse(Standing.ABSENT));
        });
  }

  String label(String table) {
    return "table " + table + " of " + this;
  }

  private Standing standing(Connection connection, Progress progress) {
    Map<SourcePartition, Long> positions = new HashMap<>();
    Map<SourcePartition, Long> rows = new HashMap<>();
    try {
      progress
          .read(connection)
          .forEach(
              (source, reached) -> {
                positions.put(source, reached.position());
                rows.put(source, reached.rows());
              });
    } catch (SQLException e) {
      throw failed("read progress", e);
    }
    rows.remove(Replaced.SOURCE);
    return new Standing(Optional.of(progress.table()), Replaced.without(positions), rows);
  }

  @Override
  public void swap(List<Exchange> exchanges) {
    Shadows.Renaming renaming =
        new Shadows.Renaming() {
          @Override
          public void replacing(Connection c, String table, String shadow) throws SQLException {
            grant(c, table, shadow);
          }
        };
    transaction(
        "put tables in the places of others",
        c -> {
          Shadows.swap(c, DIALECT, exchanges, this, renaming);
          return null;
        });
  }

  @Override
  public Map<Long, Long> copy(String table, String shadow, Map<Long, Long> before) {
    return transaction(
        "take rows of table " + table + " over",
        c -> Shadows.copy(c, DIALECT, table, shadow, before));
  }

  @Override
  public void drop(String table) {
    transaction(
        "drop table " + table,
        c -> {
          Shadows.drop(c, table, Catalog.isThere(c) ? Catalog.known(c, table) : Optional.empty());
          return null;
        });
  }

  /** Who may do something with a table may do it with the one that takes its place. */
  private static void grant(Connection c, String from, String to) throws SQLException {
    List<String> grants = new ArrayList<>();
    try (PreparedStatement select =
        c.prepareStatement(
            "select a.privilege_type, coalesce(quote_ident(r.rolname), 'public'), a.is_grantable"
                + " from pg_class t cross join aclexplode(t.relacl) a left join pg_roles r on"
                + " r.oid = a.grantee where t.oid = to_regclass(?) and a.grantee <> t.relowner")) {
      select.setString(1, Names.name(from));
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          grants.add(
              "grant "
                  + rows.getString(1)
                  + " on "
                  + Names.name(to)
                  + " to "
                  + rows.getString(2)
                  + (rows.getBoolean(3) ? " with grant option" : ""));
        }
      }
    }
    try (Statement statement = c.createStatement()) {
      for (String each : grants) {
        statement.execute(each);
      }
    }
  }

  @Override
  public Optional<TableDifference> compare(Table table) {
    return transaction("compare table " + table.name(), c -> COMPARISON.of(c, table));
  }

  @Override
  public boolean has(String table) {
    return transaction("look for table " + table, c -> !DIALECT.columns(c, table).isEmpty());
  }

  @Override
  public List<AddedColumn> added(String table) {
    return transaction(
        "look for columns of " + table,
        c -> {
          Optional<Identity> who = Catalog.isThere(c) ? Catalog.known(c, table) : Optional.empty();
          return who.isEmpty() ? List.<AddedColumn>of() : AddedColumns.read(c, who.get());
        });
  }

  /** Empty of a table so large that counting takes seconds, or that the user may not read. */
  @Override
  public Optional<Schema> columns(String table) {
    return transaction("look at table " + table, c -> LiveColumns.of(DIALECT, c, table));
  }

  @Override
  public OptionalLong rows(Table table) {
    return transaction(
        "count the rows of " + table.name(),
        c -> {
          if (DIALECT.columns(c, table.name()).isEmpty()) {
            return OptionalLong.empty();
          }
          try (Statement statement = c.createStatement()) {
            statement.execute("set local statement_timeout = '2s'");
            return OptionalLong.of(Answers.count(c, table.name()));
          } catch (SQLException e) {
            if (!Set.of(QUERY_CANCELED, NO_RIGHT).contains(String.valueOf(e.getSQLState()))) {
              throw e;
            }
            c.rollback();
            return OptionalLong.empty();
          }
        });
  }

  @Override
  public List<String> missingRights(Table table) {
    return transaction("look for rights", c -> Rights.missing(c, table));
  }

  @Override
  public OptionalLong replaced(Table table) {
    return transaction(
        "look at table " + table.name(),
        c -> {
          Optional<Identity> who =
              Catalog.isThere(c) ? Catalog.known(c, table.name()) : Optional.empty();
          return who.isPresent() && Replaced.of(table)
              ? Replaced.of(c, who.get(), "position")
              : OptionalLong.empty();
        });
  }

  @Override
  public String ddl(Table table) {
    return DIALECT.ddl(table);
  }

  @Override
  public Answer query(String sql, QueryBounds bounds) {
    Reading.requireOnlyReads(sql, this);
    return run(
        c -> {
          try (Statement statement = c.createStatement()) {
            statement.execute("set transaction read only");
            Answer answer = Answers.to(statement, sql, PlainValues::plain, bounds);
            c.rollback();
            return answer;
          }
        });
  }

  @Override
  public Answer change(String sql) {
    return run(
        c -> {
          try (Statement statement = c.createStatement()) {
            return Answers.to(statement, sql, PlainValues::plain);
          }
        });
  }

  private Answer run(Work<Answer> work) {
    Connection connection = connect();
    boolean well = false;
    try {
      Answer answer = work.on(connection);
      connection.commit();
      well = true;
      return answer;
    } catch (SQLException e) {
      throw new OutsideException(this + " does not take the query: " + message(e), e);
    } finally {
      giveBack(connection, well);
    }
  }

  @Override
  public String toString() {
    return "store " + name + " (" + shown(url) + ")";
  }

  @Override
  public synchronized void close() {
    closed = true;
    idle.forEach(PostgresStore::closeQuietly);
    idle.clear();
  }
}
