package io.wexrun.cli.demo;

import io.wexrun.core.diagnose.OutsideException;
import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** A PostgreSQL server for the demo, whose data are kept in the demo's folder. */
public final class DemoServer implements AutoCloseable {
  private static final Pattern PORT = Pattern.compile("jdbc:postgresql://localhost:(\\d+)/");

  private final EmbeddedPostgres server;
  private final String url;

  private DemoServer(EmbeddedPostgres server, String url) {
    this.server = server;
    this.url = url;
  }

  /**
   * Starts a server, at the port that the demo's definition names, or any.
   *
   * @throws OutsideException if it does not start
   */
  public static DemoServer start(Path folder) {
    try {
      int port = port(folder.resolve("wexrun.yaml"));
      EmbeddedPostgres server =
          EmbeddedPostgres.builder()
              .setDataDirectory(folder.resolve(".postgres"))
              .setCleanDataDirectory(false)
              .setPort(port)
              .start();
      return new DemoServer(server, "jdbc:postgresql://localhost:" + port + "/postgres");
    } catch (IOException | IllegalStateException e) {
      throw new OutsideException(
          "no PostgreSQL server can be started here: "
              + e.getMessage()
              + ". Name one that is there: --url jdbc:postgresql://...",
          e);
    }
  }

  private static int port(Path definition) throws IOException {
    if (Files.exists(definition)) {
      Matcher port = PORT.matcher(Files.readString(definition));
      if (port.find()) {
        return Integer.parseInt(port.group(1));
      }
    }
    try (ServerSocket free = new ServerSocket(0)) {
      return free.getLocalPort();
    }
  }

  /** Where it is. */
  public String url() {
    return url;
  }

  /** Whom to log in as. */
  public String user() {
    return "postgres";
  }

  @Override
  public void close() {
    try {
      server.close();
    } catch (IOException e) {
      throw new OutsideException("the server does not stop: " + e.getMessage(), e);
    }
  }
}
