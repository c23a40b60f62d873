package ostrel;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;

/**
 * An SQLite file. Beside the tables it keeps who it is, how far writers have got in each table, and
 * which rows it refused.
 *
 * <p>A table's identity stands in the name of a trigger that never fires: it goes with a table that
 * is dropped, and stays with one that is renamed.
 */
final class SqliteStore implements Store {
  private static final String MARK = "wexrun-";

  private final String name;
  private final Path file;
  private final Connection connection;
  private final Identity identity;

  SqliteStore(String name, Path file) {
    this.name = name;
    this.file = file;
    try {
      connection = DriverManager.getConnection("jdbc:sqlite:" + file);
      identity = prepare();
    } catch (SQLException e) {
      throw new OutsideException("cannot open " + this + ": " + e.getMessage(), e);
    }
  }

  private Identity prepare() throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("pragma busy_timeout = 10000");
      statement.execute("create table if not exists wexrun_store (id text not null)");
      statement.execute(
          "create table if not exists wexrun_progress (table_id text, writer text, source text,"
              + " position integer not null, primary key (table_id, writer, source))");
      statement.execute(
          "create table if not exists wexrun_refused (table_id text, writer text, source text,"
              + " position integer, row integer, why text not null,"
              + " primary key (table_id, writer, source, position, row))");
      statement.execute(
          "insert into wexrun_store select lower(hex(randomblob(16)))"
              + " where not exists (select 1 from wexrun_store)");
    }
    return new Identity(texts("select id from wexrun_store").get(0));
  }

  @Override
  public Identity identity() {
    return identity;
  }

  /** A name in quotes, so that every name can be a table or column. */
  static String quoted(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }

  /** Numbers as numbers, bytes as they are, everything else as text: nothing is rounded. */
  private static String type(Type type) {
    if (type == Type.Scalar.BOOL || type == Type.Scalar.INT || type == Type.Scalar.LONG) {
      return "integer";
    }
    return type == Type.Scalar.DOUBLE ? "real" : type == Type.Scalar.BYTES ? "blob" : "text";
  }

  private static String column(Column column) {
    return quoted(column.name())
        + " "
        + type(column.type())
        + (column.required() ? " not null" : "");
  }

  /** Work on the store's connection, as one transaction. */
  @FunctionalInterface
  interface Work<T> {
    T on(Connection connection) throws SQLException;
  }

  synchronized <T> T transaction(String what, Work<T> work) {
    try (Statement statement = connection.createStatement()) {
      statement.execute("begin immediate");
      T result;
      try {
        result = work.on(connection);
        statement.execute("commit");
      } catch (SQLException | RuntimeException e) {
        statement.execute("rollback");
        throw e;
      }
      return result;
    } catch (SQLException e) {
      throw new OutsideException("cannot " + what + " in " + this + ": " + e.getMessage(), e);
    }
  }

  private List<String> texts(String sql, String... parameters) throws SQLException {
    List<String> texts = new ArrayList<>();
    try (PreparedStatement select = connection.prepareStatement(sql)) {
      for (int i = 0; i < parameters.length; i++) {
        select.setString(i + 1, parameters[i]);
      }
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          texts.add(rows.getString(1));
        }
      }
    }
    return texts;
  }

  @Override
  public Target target(String writer, Table table) {
    if (!table.key().isEmpty()) {
      throw OutsideException.lasting(
          this + " does not replace rows: remove the key of " + table.name());
    }
    Identity who = transaction("open table " + table.name(), c -> identify(c, table));
    return new SqliteTarget(this, writer, table, who);
  }

  private Identity identify(Connection c, Table table) throws SQLException {
    List<String> there =
        texts(
            "select '\"' || replace(name, '\"', '\"\"') || '\" ' || lower(type)"
                + " || iif(\"notnull\", ' not null', '') from pragma_table_info(?) order by cid",
            table.name());
    List<String> defined = table.schema().columns().stream().map(SqliteStore::column).toList();
    if (!there.isEmpty() && !there.equals(defined)) {
      throw OutsideException.lasting(
          "table "
              + table.name()
              + " of "
              + this
              + " has other columns than its definition. It has "
              + there
              + ", and the definition says "
              + defined);
    }
    try (Statement statement = c.createStatement()) {
      if (there.isEmpty()) {
        statement.execute(
            "create table "
                + quoted(table.name())
                + defined.stream().collect(Collectors.joining(", ", " (", ")")));
      }
      Optional<String> mark =
          texts(
                  "select name from sqlite_master where type = 'trigger' and tbl_name = ?"
                      + " and substr(name, 1, 7) = '"
                      + MARK
                      + "'",
                  table.name())
              .stream()
              .findFirst();
      if (mark.isPresent()) {
        return new Identity(mark.get().substring(MARK.length()));
      }
      Identity fresh = Identity.fresh();
      statement.execute(
          "create trigger "
              + quoted(MARK + fresh)
              + " before insert on "
              + quoted(table.name())
              + " when 0 begin select 1; end");
      return fresh;
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
      throw new OutsideException("cannot close " + this + ": " + e.getMessage(), e);
    }
  }
}
