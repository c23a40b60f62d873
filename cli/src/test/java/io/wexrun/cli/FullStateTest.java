package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** While the tally cannot be written, who sends is told so; then it goes on without a restart. */
class FullStateTest {
  @TempDir private Path folder;

  private final HttpClient client = HttpClient.newHttpClient();
  private long acknowledged;

  private int post(int port) throws IOException, InterruptedException {
    HttpRequest request =
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/in"))
            .timeout(Duration.ofSeconds(30))
            .POST(HttpRequest.BodyPublishers.ofString(acknowledged + "\n"))
            .build();
    try {
      int status = client.send(request, HttpResponse.BodyHandlers.ofString()).statusCode();
      acknowledged += status == 200 ? 1 : 0;
      return status;
    } catch (java.net.ConnectException e) {
      return -1; // It is not there yet.
    }
  }

  private void until(int port, int status) throws Exception {
    for (int i = 0; i < 600; i++) {
      if (post(port) == status) {
        return;
      }
      Thread.sleep(100);
    }
    throw new AssertionError("never answers " + status);
  }

  private void sql(String sql) throws SQLException {
    try (Connection state =
            DriverManager.getConnection("jdbc:sqlite:" + folder.resolve(".wexrun/state.db"));
        Statement statement = state.createStatement()) {
      statement.execute("pragma busy_timeout = 30000");
      statement.execute(sql);
    }
  }

  @Test
  void theDoorIsShutWhileNothingCanBeAccountedFor() throws Exception {
    int port;
    try (ServerSocket socket = new ServerSocket(0)) {
      port = socket.getLocalPort();
    }
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        "workspace: d\nstores: {w: {duckdb: w.db}}\ntables: {t: {in: w, columns: {n: long}}}\n");
    Files.writeString(
        folder.resolve("pipelines/p.yaml"),
        """
        pipeline: p
        intake: {http: %d/in}
        shape: [{template: '{n:long}'}]
        route: [{to: t}]
        flush: {age: 50ms}
        """
            .formatted(port));
    Wexrun here = Wexrun.in(folder);
    Process run = here.start("run");
    try {
      until(port, 200);
      sql(
          "create trigger full before insert on loaded_tally begin select raise(abort, 'disk full');"
              + " end");
      until(port, 503);
      long before = acknowledged;
      for (int i = 0; i < 10; i++) {
        assertThat(post(port)).isEqualTo(503);
      }
      assertThat(acknowledged).isEqualTo(before);
      sql("drop trigger full");
      until(port, 200);
    } finally {
      run.destroy();
      run.waitFor();
    }
    here.run("run", "--once");
    assertThat(here.run("sql", "select count(*), count(distinct n) from t").out())
        .containsPattern(acknowledged + " +" + acknowledged);
    assertThat(here.run("tally").out()).contains("balanced");
  }
}
