package io.wexrun.postgres;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.pipeline.Settings;
import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;

/** A real server, started for the tests of this process, and databases in it. */
final class Server {
  private static EmbeddedPostgres server;
  private static int databases;

  private Server() {}

  private static synchronized EmbeddedPostgres server() {
    if (server == null) {
      try {
        server = EmbeddedPostgres.builder().start();
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
    return server;
  }

  /** Makes an empty database; its name. */
  static synchronized String database() {
    String name = "d" + ++databases;
    execute("postgres", "create database " + name);
    return name;
  }

  static String url(String database) {
    return server().getJdbcUrl("postgres", database);
  }

  static PostgresStore open(String database, Path folder) {
    Settings settings = Settings.of("postgres", url(database));
    return (PostgresStore) new PostgresConnector().open("w", settings, new FolderSite(folder));
  }

  static void execute(String database, String... statements) {
    try (Connection connection = DriverManager.getConnection(url(database));
        Statement statement = connection.createStatement()) {
      for (String sql : statements) {
        statement.execute(sql);
      }
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
  }
}
