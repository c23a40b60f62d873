package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.cli.Wexrun.Result;
import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** What a run shows to machines: figures, health, events. */
class RunFiguresTest {
  /** A sample of OpenMetrics text, as its grammar has it. */
  private static final Pattern SAMPLE =
      Pattern.compile(
          "([a-zA-Z_:][a-zA-Z0-9_:]*)(\\{([a-zA-Z_][a-zA-Z0-9_]*=\"([^\"\\\\\n"
              + "]|\\\\[\"\\\\n"
              + "])*\",?)*})? -?([0-9.]+([eE][+-]?[0-9]+)?|NaN|\\+Inf)( [0-9.]+)?");

  private static final Pattern META =
      Pattern.compile("# (TYPE|HELP|UNIT) ([a-zA-Z_:][a-zA-Z0-9_:]*) ?(.*)");

  @TempDir private Path folder;
  private final HttpClient client = HttpClient.newHttpClient();

  private Wexrun workspace() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: watched
        stores: {w: {duckdb: w.db}, away: {duckdb: away/w.db}}
        queues: {q: {partitions: 1}}
        tables:
          a: {in: w, columns: {n: long}}
          b: {in: away, columns: {n: long}}
        """);
    Files.writeString(
        folder.resolve("pipelines/two.yaml"),
        """
        pipeline: good
        intake: {files: '*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: a}]
        flush: {age: 50ms}
        ---
        pipeline: bad
        intake: {files: '*.log'}
        shape: [{template: '{n:long}'}]
        route: [{to: b}]
        flush: {age: 50ms}
        """);
    Files.writeString(folder.resolve("a.log"), "1\n2\nx\n");
    return Wexrun.in(folder);
  }

  private static int freePort() throws IOException {
    try (ServerSocket socket = new ServerSocket(0)) {
      return socket.getLocalPort();
    }
  }

  private HttpResponse<String> get(int port, String path, String... headers) throws Exception {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + path));
    if (headers.length > 0) {
      request.headers(headers);
    }
    return client.send(request.build(), HttpResponse.BodyHandlers.ofString());
  }

  /** Waits until a page has some text. */
  private String until(int port, String path, String text) throws Exception {
    String last = "";
    for (int i = 0; i < 600; i++) {
      try {
        last = get(port, path).body();
      } catch (IOException e) {
        last = e.toString();
      }
      if (last.contains(text)) {
        return last;
      }
      Thread.sleep(100);
    }
    throw new AssertionError(text + " does not come: " + last);
  }

  @Test
  void whatEachPlaceDidIsToldAtTheEnd() throws Exception {
    Wexrun here = workspace();
    Result run = here.run("run", "--once", "--verbose", "good");
    assertThat(run.err()).contains("good: 3 taken; most of the time in ");
    assertThat(run.out())
        .containsPattern("shape\\[0\\]\\.template +3 +2 +1 ")
        .containsPattern("-> a +2 +2 +0 ")
        .contains("a: 2 rows, 16 bytes in 1 flush; from taken to row ");
    Files.writeString(folder.resolve("b.log"), "3\n");
    JsonNode work = here.run("run", "--once", "--json", "good").json().get("work").get("good");
    JsonNode target = work.get("targets").get(0);
    assertThat(target.get("target").asString()).isEqualTo("a");
    assertThat(target.get("rows").asInt()).isEqualTo(1);
    assertThat(target.get("taken-to-row").get("most").asDouble()).isBetween(0.0, 60.0);
    assertThat(work.get("places").get(0).get("place").asString()).isEqualTo("intake");
  }

  @Test
  void figuresHealthAndEventsOfARun() throws Exception {
    Wexrun here = workspace();
    int port = freePort();
    Process run =
        here.start("run", "--figures", "" + port, "--log", "json", "--log-file", "events.txt");
    try {
      until(port, "/metrics", "wexrun_books_loaded_rows_total{pipeline=\"good\",target=\"a\"} 2.0");
      HttpResponse<String> figures = get(port, "/metrics");
      assertThat(figures.headers().firstValue("content-type").orElse(""))
          .startsWith("application/openmetrics-text; version=1.0.0");
      requireOpenMetrics(figures.body());
      assertThat(figures.body())
          .contains("wexrun_books_dead_records_total{pipeline=\"good\",reason=\"bad-value\"} 1.0")
          .contains("wexrun_taken_records_total{pipeline=\"good\"} 3.0")
          .contains("wexrun_behind_bytes{pipeline=\"good\"} 0.0")
          .contains("wexrun_place_in_rows_total{pipeline=\"good\",place=\"shape[0].template\"} 3.0")
          .contains(
              "wexrun_place_dead_records_total{pipeline=\"good\",place=\"shape[0].template\"} 1.0")
          .contains("wexrun_target_rows_total{pipeline=\"good\",target=\"a\"} 2.0")
          .contains("wexrun_taken_to_row_seconds_count{pipeline=\"good\",target=\"a\"} 2")
          .contains("wexrun_books_balanced{pipeline=\"good\"} 1.0");
      String ready = until(port, "/ready", "cannot open store away");
      JsonNode problem = JsonMapper.builder().build().readTree(ready);
      assertThat(problem.get("status").asInt()).isEqualTo(503);
      assertThat(problem.get("pipelines").get(0).get("pipeline").asString()).isEqualTo("bad");
      assertThat(get(port, "/alive").statusCode()).isEqualTo(200);
      Files.createDirectories(folder.resolve("away"));
      until(port, "/ready", "\"ready\":true");
      Result taken = here.run("run", "--once", "--figures", "" + port);
      assertThat(taken.exit()).isEqualTo(3);
      assertThat(taken.err()).contains("cannot listen at 127.0.0.1:" + port);
      assertThat(here.run("stop", "--all").exit()).isZero();
      assertThat(run.waitFor()).isZero();
    } finally {
      run.destroyForcibly();
    }
    List<String> lines = Files.readAllLines(folder.resolve("events.txt"));
    Set<String> events = new HashSet<>();
    for (String line : lines) {
      JsonNode event = JsonMapper.builder().build().readTree(line);
      assertThat(event.get("time").asString()).endsWith("Z");
      assertThat(event.get("text").asString()).isNotEmpty();
      events.add(event.get("event").asString());
    }
    assertThat(events).contains("started", "waits", "goes-on", "stopped", "ended");
    assertThat(lines.size()).as("not one for each record, nor for each try").isLessThan(15);
  }

  /** Each family is announced before its samples, nothing comes twice, and the end is marked. */
  private static void requireOpenMetrics(String text) {
    assertThat(text).endsWith("# EOF\n");
    Set<String> families = new HashSet<>();
    Set<String> series = new HashSet<>();
    String family = "";
    for (String line : text.substring(0, text.length() - "# EOF\n".length()).split("\n")) {
      Matcher meta = META.matcher(line);
      if (meta.matches()) {
        if (meta.group(1).equals("TYPE")) {
          family = meta.group(2);
          assertThat(families.add(family)).as("a family comes once: %s", line).isTrue();
        }
        assertThat(meta.group(2)).isEqualTo(family);
        continue;
      }
      Matcher sample = SAMPLE.matcher(line);
      assertThat(sample.matches()).as("a sample: %s", line).isTrue();
      assertThat(sample.group(1)).startsWith(family);
      assertThat(series.add(line.substring(0, line.lastIndexOf(' ')))).as(line).isTrue();
    }
    assertThat(families).contains("wexrun_pipeline_state", "wexrun_taken_records");
  }

  @Test
  void anAddressThatOthersReachWantsATokenForFigures() throws Exception {
    Wexrun here = workspace();
    String may = here.run("token", "add", "watch", "--figures").out().strip();
    String mayNot = here.run("token", "add", "gates").out().strip();
    assertThat(here.run("token").out()).contains("read figures", "append to all queues");
    int port = freePort();
    Process run = here.start("run", "good", "--figures", "*:" + port);
    try {
      until(port, "/ready", "\"ready\":true");
      assertThat(get(port, "/metrics").statusCode()).isEqualTo(401);
      assertThat(get(port, "/metrics", "Authorization", "Bearer " + mayNot).statusCode())
          .isEqualTo(403);
      assertThat(get(port, "/metrics", "Authorization", "Bearer " + may).statusCode())
          .isEqualTo(200);
    } finally {
      run.destroyForcibly();
    }
  }

  @Test
  void wrongOptionsAreTold() throws Exception {
    Wexrun here = workspace();
    assertThat(here.run("run", "--log", "xml").err()).contains("--log is text or json");
    assertThat(here.run("run", "--figures", "here").err()).contains("'here' is not an address");
    assertThat(here.run("run", "--slow-flush", "soon").err()).contains("--slow-flush is a time");
    Result none = here.run("run", "--once", "--log-file", "none/run.log");
    assertThat(none.exit()).isEqualTo(3);
    assertThat(none.err()).contains("cannot write the log");
  }

  @Test
  void aLongLogIsRotated() throws Exception {
    Path file = folder.resolve("run.log");
    try (RotatedFile log = new RotatedFile(file, 100, 3)) {
      for (int i = 0; i < 60; i++) {
        log.write("line " + i);
      }
    }
    try (RotatedFile log = new RotatedFile(file, 100, 3)) {
      log.write("after it was opened again");
    }
    assertThat(Files.readString(file)).endsWith("after it was opened again\n");
    assertThat(Files.readString(folder.resolve("run.log.1"))).startsWith("line ");
    assertThat(folder.resolve("run.log.2")).exists();
    assertThat(folder.resolve("run.log.3")).doesNotExist();
  }
}
