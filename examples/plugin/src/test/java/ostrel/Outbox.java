package ostrel;

import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;

/** The program that writes an outbox. */
final class Outbox {
  private Outbox() {}

  static void append(Path file, String tram, String... messages) {
    try (Connection connection = DriverManager.getConnection("jdbc:sqlite:" + file);
        Statement statement = connection.createStatement()) {
      statement.execute("pragma busy_timeout = 10000");
      statement.execute(OutboxIntake.TABLE);
      try (PreparedStatement insert =
          connection.prepareStatement("insert into outbox (tram, message) values (?, ?)")) {
        for (String message : messages) {
          insert.setString(1, tram);
          insert.setString(2, message);
          insert.executeUpdate();
        }
      }
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
  }
}
