package io.wexrun.bench;

import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.FileInputStream;
import java.io.FileOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import org.postgresql.PGConnection;

/** A PostgreSQL server of the benchmark's own, with its own way of loading rows that are ready. */
final class ServerSpeed implements AutoCloseable {
  private final EmbeddedPostgres server;

  ServerSpeed(Path data) throws IOException {
    this.server =
        EmbeddedPostgres.builder().setDataDirectory(data).setCleanDataDirectory(true).start();
  }

  String url() {
    return "jdbc:postgresql://localhost:" + server.getPort() + "/postgres";
  }

  private Connection connect() throws SQLException {
    return DriverManager.getConnection(url(), "postgres", "");
  }

  /** Removes what was loaded before. */
  void clear() throws SQLException {
    try (Connection connection = connect();
        Statement statement = connection.createStatement()) {
      statement.execute("drop table if exists gates, gate_hours, copied");
      statement.execute("drop schema if exists wexrun cascade");
      statement.execute("checkpoint");
    }
  }

  /** Seconds that it takes to copy the rows of table gates into another one, from a binary file. */
  double copySeconds() throws SQLException, IOException {
    Path ready = Files.createTempFile("wexrun-bench", ".pgcopy");
    try (Connection connection = connect();
        Statement statement = connection.createStatement()) {
      PGConnection copying = connection.unwrap(PGConnection.class);
      try (OutputStream out = new FileOutputStream(ready.toFile())) {
        copying.getCopyAPI().copyOut("copy gates to stdout (format binary)", out);
      }
      statement.execute("create table copied (like gates including all)");
      statement.execute("checkpoint");
      long start = System.nanoTime();
      try (InputStream in = new FileInputStream(ready.toFile())) {
        copying.getCopyAPI().copyIn("copy copied from stdin (format binary)", in, 1 << 16);
      }
      return (System.nanoTime() - start) / 1e9;
    } finally {
      Files.delete(ready);
    }
  }

  @Override
  public void close() throws IOException {
    server.close();
  }
}
