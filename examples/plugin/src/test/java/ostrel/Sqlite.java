package ostrel;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Store;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;

/** An SQLite file, as anybody sees it. */
record Sqlite(Path folder) {
  private static final String FILE = "s.db";

  Store open() {
    return new SqliteConnector().open("s", Settings.of("sqlite", FILE), new FolderSite(folder));
  }

  Path file() {
    return folder.resolve(FILE);
  }

  void run(String sql) {
    try (Connection connection = DriverManager.getConnection("jdbc:sqlite:" + file());
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
  }

  List<List<Object>> rows(String sql) {
    List<List<Object>> found = new ArrayList<>();
    try (Connection connection = DriverManager.getConnection("jdbc:sqlite:" + file());
        Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(sql)) {
      while (rows.next()) {
        List<Object> row = new ArrayList<>();
        for (int i = 1; i <= rows.getMetaData().getColumnCount(); i++) {
          row.add(rows.getObject(i));
        }
        found.add(row);
      }
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
    return found;
  }
}
