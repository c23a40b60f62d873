package io.wexrun.state;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class SqlDatabaseTest {
  @TempDir private Path folder;
  private long pages = 8;

  /** A database may only have so many pages, as if the disk were full. */
  private Connection open() throws SQLException {
    Connection connection = DriverManager.getConnection("jdbc:sqlite:" + folder.resolve("s.db"));
    try (Statement statement = connection.createStatement()) {
      statement.execute("pragma journal_mode = wal");
      statement.execute("pragma max_page_count = " + pages);
      statement.execute("create table if not exists t (n integer, data blob)");
    }
    connection.setAutoCommit(false);
    return connection;
  }

  private static int insert(SqlDatabase database, int bytes) {
    return database.transaction(
        "insert",
        c -> SqlDatabase.update(c, "insert into t (n, data) values (1, ?)", new byte[bytes]));
  }

  private static long count(SqlDatabase database) {
    long[] count = new long[1];
    database.transaction(
        "count",
        c -> {
          SqlDatabase.query(c, row -> count[0] = row.getLong(1), "select count(*) from t");
          return null;
        });
    return count[0];
  }

  /** SQLite ends the transaction itself, which its driver does not know. */
  @Test
  void afterTheDiskWasFullItGoesOn() throws SQLException {
    try (SqlDatabase database = new SqlDatabase(this::open, "the state")) {
      assertThat(insert(database, 10)).isEqualTo(1);
      for (int i = 0; i < 3; i++) {
        assertThatThrownBy(() -> insert(database, 1 << 20))
            .isInstanceOf(OutsideException.class)
            .hasMessageContaining("full");
        assertThat(count(database)).isEqualTo(1);
      }
      pages = 10_000;
      assertThatThrownBy(() -> insert(database, 1 << 20)).hasMessageContaining("full");
      assertThat(insert(database, 1 << 20)).isEqualTo(1);
      assertThat(count(database)).isEqualTo(2);
    }
  }

  @Test
  void whatIsClosedStaysSo() throws SQLException {
    SqlDatabase database = new SqlDatabase(this::open, "the state");
    database.close();
    assertThatThrownBy(() -> count(database)).hasMessageContaining("it is closed");
  }
}
