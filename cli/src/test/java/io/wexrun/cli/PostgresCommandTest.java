package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import io.wexrun.contract.Seeds;
import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/** Runs into a real PostgreSQL server: killed, and with a server that goes away. */
class PostgresCommandTest {
  private static final int KILLS = Seeds.times() == 1 ? 6 : 65;

  @TempDir private Path folder;
  private Path data;
  private int port;
  private EmbeddedPostgres server;
  private Wexrun here;
  private int written;

  @BeforeEach
  void makeWorkspace() throws IOException {
    data = folder.resolve("data");
    Path workspace = Files.createDirectories(folder.resolve("depot"));
    Files.createDirectories(workspace.resolve("pipelines"));
    try (ServerSocket free = new ServerSocket(0)) {
      port = free.getLocalPort();
    }
    Files.writeString(
        workspace.resolve("wexrun.yaml"),
        """
        workspace: depot
        stores: {w: {postgres: 'jdbc:postgresql://localhost:%d/postgres', user: postgres}}
        tables:
          scans: {in: w, columns: {n: int, gate: text}}
        """
            .formatted(port));
    Files.writeString(
        workspace.resolve("pipelines/load.yaml"),
        """
        pipeline: load
        intake: {files: 'a.log'}
        shape: [template: '{n:int} {gate}']
        route: [to: scans]
        flush: {rows: 700, age: 100ms}
        """);
    here = Wexrun.in(workspace);
  }

  private void start() throws IOException {
    server =
        EmbeddedPostgres.builder()
            .setDataDirectory(data)
            .setCleanDataDirectory(false)
            .setPort(port)
            .start();
  }

  @AfterEach
  void stop() throws IOException {
    if (server != null) {
      server.close();
    }
  }

  private void write(int lines) throws IOException {
    StringBuilder text = new StringBuilder();
    for (int left = lines; left > 0; left--) {
      text.append(++written).append(" gate-").append(written % 7).append('\n');
    }
    Files.writeString(
        here.folder().resolve("a.log"), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
  }

  private String rows() {
    String sql = "select count(*)::int a, count(distinct n)::int b, max(n) c from scans";
    JsonNode row = here.run("sql", "--json", sql).json().get("rows").get(0);
    return row.get("a").asInt() + " " + row.get("b").asInt() + " " + row.get("c").asInt();
  }

  private void assertAllOnce() {
    assertThat(rows()).isEqualTo(written + " " + written + " " + written);
    Result tally = here.run("tally", "--json");
    assertThat(tally.exit()).as(tally.out()).isZero();
    assertThat(tally.json().get("pipelines").get(0).get("taken").asInt()).isEqualTo(written);
  }

  @Test
  void whateverTheMomentOfAKillEachRecordIsLoadedOnce() throws Exception {
    start();
    long seed = System.nanoTime();
    SplittableRandom dice = new SplittableRandom(seed);
    for (int kills = 0; kills < KILLS; kills++) {
      write(60_000);
      Process run = here.start("run");
      assertThat(run.waitFor(700 + dice.nextInt(900), TimeUnit.MILLISECONDS))
          .as(() -> here.read("err.txt"))
          .isFalse();
      run.destroyForcibly().waitFor();
    }
    Result last = here.run("run", "--once");
    assertThat(last.exit()).as(last.err()).isZero();
    assertAllOnce();
  }

  @Test
  void aRunWaitsForAServerThatIsNotThereOrGoesAway() throws Exception {
    write(50_000);
    Process run = here.start("run");
    await(run, "cannot reach store w");
    start();
    await(run, "delivers again");
    write(200_000);
    stop();
    await(run, "(?s)delivers again.*tried again");
    write(1000);
    start();
    await(run, "(?s)delivers again.*delivers again");
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
    while (!rows().startsWith(written + " ")) {
      assertThat(System.nanoTime()).as("%s: %s", rows(), here.read("err.txt")).isLessThan(deadline);
      Thread.sleep(100);
    }
    run.destroy();
    assertThat(here.finish(run).exit()).isZero();
    assertAllOnce();
  }

  private void await(Process run, String words) throws InterruptedException {
    Pattern wanted = Pattern.compile(words);
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
    while (!wanted.matcher(here.read("err.txt")).find()) {
      assertThat(run.isAlive()).as(() -> here.read("err.txt")).isTrue();
      assertThat(System.nanoTime()).as("%s: %s", words, here.read("err.txt")).isLessThan(deadline);
      Thread.sleep(20);
    }
  }

  @Test
  void aWrongPasswordIsToldAndEndsTheRun() throws IOException {
    start();
    write(10);
    Path yaml = here.folder().resolve("wexrun.yaml");
    Files.writeString(yaml, Files.readString(yaml).replace("user: postgres", "user: nobody"));
    Result run = here.run("run");
    assertThat(run.exit()).isEqualTo(3);
    assertThat(run.err()).contains("role \"nobody\" does not exist");
  }
}
