package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import io.zonky.test.db.postgres.embedded.EmbeddedPostgres;
import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.ToLongFunction;
import java.util.spi.ToolProvider;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/**
 * One run that goes on while its files are rotated, a pipeline is edited, a server is restarted,
 * and a step of a plugin dies by errors, over and over: an hour in the soak profile, some seconds
 * otherwise. In the end each record is everywhere once, and the process is no larger than before.
 */
class LongRunTest {
  private static final boolean SOAK = Seeds.times() > 1;
  private static final int ROUNDS = SOAK ? 60 : 2;
  private static final long ROUND_MILLIS = SOAK ? 60_000 : 2500;
  private static final int LINES_A_SECOND = 1000;

  private static final String PLUGIN =
      """
      package ostrel;

      import io.wexrun.core.step.*;
      import io.wexrun.core.written.Written;
      import java.nio.file.*;
      import java.util.List;

      public final class Frail implements StepKind {
        public String name() {
          return "frail";
        }

        public List<Step> compile(Written written, StepContext context) {
          Path bomb = Path.of(System.getProperty("frail.bomb", "none"));
          return List.of(
              new RowStep(
                  context.input(),
                  (row, rows) -> {
                    if (Files.exists(bomb)) {
                      throw new InternalError("the machine fails");
                    }
                  }));
        }
      }
      """;

  /** How large the process is. */
  private record Size(long heap, long threads, long handles) {
    @Override
    public String toString() {
      return heap / 1024 + " KB of heap, " + threads + " threads, " + handles + " handles";
    }
  }

  @TempDir private Path folder;
  private final HttpClient client = HttpClient.newHttpClient();
  private final AtomicInteger written = new AtomicInteger();
  private final AtomicBoolean over = new AtomicBoolean();
  private EmbeddedPostgres server;
  private int port;
  private int figures;
  private Path workspace;
  private Process run;

  private static int freePort() throws IOException {
    try (ServerSocket socket = new ServerSocket(0)) {
      return socket.getLocalPort();
    }
  }

  private void startServer() throws IOException {
    server =
        EmbeddedPostgres.builder()
            .setDataDirectory(folder.resolve("data"))
            .setCleanDataDirectory(false)
            .setPort(port)
            .start();
  }

  @AfterEach
  void end() throws IOException {
    over.set(true);
    if (run != null) {
      run.destroyForcibly();
    }
    if (server != null) {
      server.close();
    }
  }

  private void makePlugin() throws IOException {
    Path source = folder.resolve("Frail.java");
    Files.writeString(source, PLUGIN);
    Path classes = Files.createDirectories(folder.resolve("classes"));
    Path services = Files.createDirectories(classes.resolve("META-INF/services"));
    Files.writeString(services.resolve("io.wexrun.core.step.StepKind"), "ostrel.Frail\n");
    String path = System.getProperty("java.class.path");
    assertThat(tool("javac", "-cp", path, "-d", classes + "", source + "")).isZero();
    Path jar = Files.createDirectories(workspace.resolve("plugins")).resolve("frail.jar");
    assertThat(tool("jar", "cf", jar + "", "-C", classes + "", ".")).isZero();
  }

  private static int tool(String name, String... arguments) {
    return ToolProvider.findFirst(name).orElseThrow().run(System.out, System.err, arguments);
  }

  private void makeWorkspace() throws IOException {
    workspace = Files.createDirectories(folder.resolve("depot"));
    Files.createDirectories(workspace.resolve("pipelines"));
    Files.writeString(
        workspace.resolve("wexrun.yaml"),
        """
        workspace: depot
        stores:
          far: {postgres: 'jdbc:postgresql://localhost:%d/postgres', user: postgres}
          near: {duckdb: near.db}
        tables:
          far_rows: {in: far, columns: {n: long}}
          edited_rows: {in: near, columns: {n: long, edit: long}}
          frail_rows: {in: near, columns: {n: long}}
        """
            .formatted(port));
    Files.writeString(
        workspace.resolve("pipelines/others.yaml"),
        """
        pipeline: far
        intake: {files: 'a.log*'}
        shape: [{template: '{n:long}'}]
        route: [{to: far_rows}]
        flush: {age: 200ms}
        ---
        pipeline: frail
        intake: {files: 'a.log*'}
        shape: [{template: '{n:long}'}, frail: n]
        route: [{to: frail_rows}]
        flush: {age: 200ms}
        """);
    edit(0);
    makePlugin();
  }

  private void edit(int number) throws IOException {
    Path fresh = folder.resolve("edited.tmp");
    Files.writeString(
        fresh,
        """
        pipeline: edited
        intake: {files: 'a.log*'}
        shape: [{template: '{n:long}'}, {set: {edit: %d}}]
        route: [{to: edited_rows}]
        flush: {age: 200ms}
        """
            .formatted(number));
    Files.move(
        fresh, workspace.resolve("pipelines/edited.yaml"), StandardCopyOption.REPLACE_EXISTING);
  }

  private void feed() {
    try {
      while (!over.get()) {
        StringBuilder lines = new StringBuilder();
        for (int i = 0; i < LINES_A_SECOND / 20; i++) {
          lines.append(written.getAndIncrement()).append('\n');
        }
        synchronized (this) { // Not while the file is rotated.
          Files.writeString(
              workspace.resolve("a.log"),
              lines,
              StandardOpenOption.CREATE,
              StandardOpenOption.APPEND);
        }
        Thread.sleep(50);
      }
    } catch (IOException | InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }

  /** The newest file gets the first number, and the oldest go. */
  private synchronized void rotate() throws IOException {
    Files.deleteIfExists(workspace.resolve("a.log.8"));
    for (int i = 7; i > 0; i--) {
      Path old = workspace.resolve("a.log." + i);
      if (Files.exists(old)) {
        Files.move(old, workspace.resolve("a.log." + (i + 1)));
      }
    }
    Files.move(workspace.resolve("a.log"), workspace.resolve("a.log.1"));
  }

  private String metrics() throws Exception {
    HttpRequest request =
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + figures + "/metrics")).build();
    return client.send(request, HttpResponse.BodyHandlers.ofString()).body();
  }

  private void awaitReady() throws Exception {
    HttpRequest request =
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + figures + "/ready")).build();
    long until = System.nanoTime() + TimeUnit.MINUTES.toNanos(1);
    while (System.nanoTime() < until) {
      try {
        if (client.send(request, HttpResponse.BodyHandlers.ofString()).statusCode() == 200) {
          return;
        }
      } catch (IOException e) {
        assertThat(run.isAlive()).isTrue(); // It does not listen yet.
      }
      Thread.sleep(50);
    }
    throw new AssertionError(Wexrun.in(workspace).read("err.txt"));
  }

  private long figure(String name) throws Exception {
    return metrics()
        .lines()
        .filter(line -> line.startsWith(name + " "))
        .mapToLong(line -> (long) Double.parseDouble(line.substring(name.length() + 1)))
        .findFirst()
        .orElseThrow();
  }

  private Size size() throws Exception {
    Path jcmd = Path.of(System.getProperty("java.home"), "bin", "jcmd");
    Process collect =
        new ProcessBuilder(jcmd + "", run.pid() + "", "GC.run")
            .redirectOutput(ProcessBuilder.Redirect.DISCARD)
            .start();
    collect.waitFor(1, TimeUnit.MINUTES);
    long handles;
    try (Stream<Path> open = Files.list(Path.of("/proc/" + run.pid() + "/fd"))) {
      handles = open.count();
    }
    return new Size(figure("wexrun_heap_used_bytes"), figure("wexrun_threads"), handles);
  }

  private void round(int number, Path bomb) throws Exception {
    long until = System.nanoTime() + ROUND_MILLIS * 1_000_000;
    edit(number);
    server.close();
    Files.writeString(bomb, "");
    Thread.sleep(ROUND_MILLIS / 6);
    Files.delete(bomb);
    startServer();
    rotate();
    Thread.sleep(Math.max(0, (until - System.nanoTime()) / 1_000_000));
    assertThat(run.isAlive()).as(Wexrun.in(workspace).read("err.txt")).isTrue();
  }

  private static void assertFlat(List<Size> sizes, ToLongFunction<Size> of, double most) {
    int quarter = Math.max(1, sizes.size() / 4);
    double early = median(sizes.subList(quarter, 2 * quarter), of);
    double late = median(sizes.subList(sizes.size() - quarter, sizes.size()), of);
    assertThat(late).as(sizes.toString()).isLessThanOrEqualTo(early + most);
  }

  private static double median(List<Size> sizes, ToLongFunction<Size> of) {
    return sizes.stream().mapToLong(of).sorted().skip(sizes.size() / 2).findFirst().orElseThrow();
  }

  private void awaitAll(Wexrun here) throws Exception {
    long until = System.nanoTime() + TimeUnit.MINUTES.toNanos(3);
    while (System.nanoTime() < until) {
      boolean all = true;
      for (JsonNode each : here.run("tally", "--json").json().get("pipelines")) {
        all &= each.get("taken").asInt() == written.get();
      }
      if (all) {
        return;
      }
      Thread.sleep(200);
    }
    throw new AssertionError(here.run("tally").out() + here.read("err.txt"));
  }

  @Test
  void whateverHappensBesideItGoesOnAndGrowsNoLarger() throws Exception {
    port = freePort();
    figures = freePort();
    makeWorkspace();
    startServer();
    Wexrun here = Wexrun.in(workspace);
    Path bomb = folder.resolve("bomb");
    run =
        here.startWith(
            List.of("-Dfrail.bomb=" + bomb, "-Xmx512m"), "run", "--figures", "" + figures);
    Thread feeder = new Thread(this::feed);
    feeder.start();
    awaitReady();
    List<Size> sizes = new ArrayList<>();
    for (int number = 1; number <= ROUNDS; number++) {
      round(number, bomb);
      sizes.add(size());
    }
    over.set(true);
    feeder.join();
    awaitAll(here);
    here.run("stop", "--all");
    assertThat(run.waitFor(1, TimeUnit.MINUTES)).isTrue();
    System.out.println("long run: " + written + " records, first " + sizes.get(0));
    System.out.println("long run: last " + sizes.get(sizes.size() - 1));
    if (SOAK) {
      assertFlat(sizes, Size::heap, 20 << 20);
      assertFlat(sizes, Size::threads, 5);
      assertFlat(sizes, Size::handles, 10);
    }
    assertThat(here.run("tally").exit()).isZero();
    for (String table : List.of("far_rows", "edited_rows", "frail_rows")) {
      String sql = "select count(*) a, count(distinct n) b, max(n) c from " + table;
      String store = table.equals("far_rows") ? "far" : "near";
      JsonNode row = here.run("sql", "--store", store, "--json", sql).json().get("rows").get(0);
      assertThat(row.get("a").asInt()).as(table).isEqualTo(written.get());
      assertThat(row.get("b").asInt()).as(table).isEqualTo(written.get());
      assertThat(row.get("c").asInt()).as(table).isEqualTo(written.get() - 1);
    }
    String edits = "select count(distinct edit) e from edited_rows";
    assertThat(
            here.run("sql", "--store", "near", "--json", edits)
                .json()
                .get("rows")
                .get(0)
                .get("e")
                .asInt())
        .isBetween(SOAK ? ROUNDS : 1, ROUNDS + 1); // Short ones may be seen together.
    assertThat(here.read("err.txt")).contains("frail: failed", "far: cannot deliver");
  }
}
