package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.contract.Seeds;
import java.io.IOException;
import java.net.ConnectException;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;

/**
 * Senders go on while the run is killed over and over: what was answered is in the table; once, if
 * it came with a key.
 */
class NetworkKillTest {
  private static final int KILLS = Seeds.times() == 1 ? 3 : 60;
  private static final int SENDERS = 3;

  @TempDir private Path folder;

  private final AtomicBoolean over = new AtomicBoolean();
  private final Set<Long> answered = ConcurrentHashMap.newKeySet();
  private final AtomicLong sent = new AtomicLong();
  private final AtomicLong written = new AtomicLong();
  private final AtomicLong exported = new AtomicLong();
  private final Set<Long> exportsAnswered = ConcurrentHashMap.newKeySet();
  private final List<Throwable> failures = new ArrayList<>();

  private static int freePort() throws IOException {
    try (ServerSocket socket = new ServerSocket(0)) {
      return socket.getLocalPort();
    }
  }

  private Wexrun workspace(int http, int tcp, int otlp) throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        """
        workspace: doors
        stores: {w: {duckdb: w.db}}
        queues: {posted: {partitions: 3}}
        tables:
          rows: {in: w, columns: {n: long, kind: text}}
          streamed: {in: w, columns: {n: long, kind: text}}
          exported: {in: w, columns: {n: long, service: text}}
        """);
    Files.writeString(
        folder.resolve("pipelines/doors.yaml"),
        """
        pipeline: posts
        intake: {http: %d/in, queue: posted}
        shape:
          - template: '{n:long} {kind}'
        route:
          - to: rows
        flush: {rows: 5000, age: 100ms}
        ---
        pipeline: stream
        intake: {syslog: %d}
        shape:
          - template: '<{}>{n:long} {kind}'
        route:
          - to: streamed
        flush: {rows: 5000, age: 100ms}
        ---
        pipeline: exports
        intake: {otlp: %d}
        shape:
          - set: {n: int(body)}
        route:
          - to: exported
        flush: {rows: 5000, age: 100ms}
        """
            .formatted(http, tcp, otlp));
    return Wexrun.in(folder);
  }

  /** Sends numbered records with keys, each batch until it is answered. */
  private void sendPosts(int port, boolean keyed, SplittableRandom dice) {
    HttpClient client = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
    String kind = keyed ? "keyed" : "plain";
    while (!over.get()) {
      int count = 1 + dice.nextInt(200);
      long first = sent.getAndAdd(count);
      StringBuilder body = new StringBuilder();
      for (long n = first; n < first + count; n++) {
        body.append(n).append(' ').append(kind).append('\n');
      }
      HttpRequest.Builder request =
          HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/in"))
              .timeout(Duration.ofSeconds(10))
              .POST(HttpRequest.BodyPublishers.ofString(body.toString()));
      if (keyed) {
        request.header("idempotency-key", "batch-" + first);
      }
      if (!post(client, request.build())) {
        return; // Over, and nobody knows whether it came.
      }
      for (long n = first; n < first + count; n++) {
        answered.add(n);
      }
      pause();
    }
  }

  private boolean post(HttpClient client, HttpRequest request) {
    while (!over.get()) {
      try {
        HttpResponse<String> answer = client.send(request, HttpResponse.BodyHandlers.ofString());
        if (answer.statusCode() == 200) {
          return true;
        }
        assertThat(answer.statusCode()).as(answer.body()).isIn(429, 503);
      } catch (ConnectException e) {
        pause();
      } catch (IOException e) {
        // The connection broke: nobody knows whether it came, so it comes again.
      } catch (InterruptedException e) {
        throw new IllegalStateException(e);
      }
    }
    return false;
  }

  private static void pause() {
    try {
      Thread.sleep(20);
    } catch (InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Exports numbered log records, each batch until it is answered. */
  private void export(int port, SplittableRandom dice) {
    HttpClient client = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
    while (!over.get()) {
      int count = 1 + dice.nextInt(50);
      long first = exported.getAndAdd(count);
      StringBuilder records = new StringBuilder();
      for (long n = first; n < first + count; n++) {
        records
            .append(n == first ? "" : ",")
            .append("{\"timeUnixNano\":\"1777777200000000000\",\"body\":{\"stringValue\":\"")
            .append(n)
            .append("\"}}");
      }
      HttpRequest request =
          HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/v1/logs"))
              .timeout(Duration.ofSeconds(10))
              .header("content-type", "application/json")
              .POST(
                  HttpRequest.BodyPublishers.ofString(
                      "{\"resourceLogs\":[{\"scopeLogs\":[{\"logRecords\":[" + records + "]}]}]}"))
              .build();
      if (post(client, request)) {
        for (long n = first; n < first + count; n++) {
          exportsAnswered.add(n);
        }
      }
    }
  }

  /** Writes numbered messages into a connection, and into the next one when it breaks. */
  private void stream(int port) {
    while (!over.get()) {
      try (Socket socket = new Socket("127.0.0.1", port)) {
        while (!over.get()) {
          long n = written.getAndIncrement();
          String text = "<13>" + n + " streamed";
          socket.getOutputStream().write((text.length() + " " + text).getBytes());
          if (n % 50 == 0) {
            pause(); // What is killed is what counts, not how much there is.
          }
        }
      } catch (IOException e) {
        pause();
      }
    }
  }

  private Thread started(Runnable what) {
    Thread thread = new Thread(what);
    thread.setUncaughtExceptionHandler((t, e) -> failures.add(e));
    thread.start();
    return thread;
  }

  @Test
  void whatWasAnsweredIsInTheTable() throws Exception {
    int http = freePort();
    int tcp = freePort();
    int otlp = freePort();
    Wexrun here = workspace(http, tcp, otlp);
    long seed = System.nanoTime();
    System.out.println("network kill seed " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    List<Thread> senders = new ArrayList<>();
    for (int i = 0; i < SENDERS; i++) {
      SplittableRandom own = dice.split();
      senders.add(started(() -> sendPosts(http, true, own)));
    }
    SplittableRandom own = dice.split();
    senders.add(started(() -> sendPosts(http, false, own)));
    senders.add(started(() -> stream(tcp)));
    SplittableRandom others = dice.split();
    senders.add(started(() -> export(otlp, others)));
    for (int kill = 0; kill < KILLS; kill++) {
      Process run = here.start("run");
      long posts = answered.size();
      long exports = exportsAnswered.size();
      for (int i = 0; i < 1500 && run.isAlive(); i++) {
        if (answered.size() > posts && exportsAnswered.size() > exports) {
          break;
        }
        pause(); // The first moments are the start of the machine.
      }
      if (run.waitFor(dice.nextInt(900), TimeUnit.MILLISECONDS)) {
        throw new AssertionError("the run ended by itself: " + here.read("err.txt"));
      }
      run.destroyForcibly().waitFor();
    }
    over.set(true);
    for (Thread sender : senders) {
      sender.join();
    }
    assertThat(failures).isEmpty();
    assertThat(here.run("run", "--once").exit()).isZero();
    assertThat(here.run("tally").exit()).isZero();
    Set<Long> there = ConcurrentHashMap.newKeySet();
    long keyed = 0;
    long distinct = 0;
    for (JsonNode row :
        here.run("sql", "--json", "select n, kind, count(*) as times from rows group by all")
            .json()
            .get("rows")) {
      there.add(row.get("n").asLong());
      if (row.get("kind").asString().equals("keyed")) {
        keyed += row.get("times").asLong();
        distinct++;
      }
    }
    assertThat(answered).as("answered, and not in the table").isSubsetOf(there);
    assertThat(there.stream().mapToLong(n -> n).max().orElse(0)).isLessThan(sent.get());
    assertThat(keyed).as("rows of keyed requests").isEqualTo(distinct).isPositive();
    Set<Long> exportsThere = ConcurrentHashMap.newKeySet();
    here.run("sql", "--json", "select distinct n from exported")
        .json()
        .get("rows")
        .forEach(row -> exportsThere.add(row.get("n").asLong()));
    assertThat(exportsAnswered).isSubsetOf(exportsThere).isNotEmpty();
    assertThat(exportsThere.stream().mapToLong(n -> n).max().orElse(0)).isLessThan(exported.get());
    JsonNode streamed =
        here.run(
                "sql",
                "--json",
                "select count(*) as n, count(distinct n) as d, max(n) as m from streamed")
            .json()
            .get("rows")
            .get(0);
    assertThat(streamed.get("n").asLong()).isEqualTo(streamed.get("d").asLong()).isPositive();
    assertThat(streamed.get("m").asLong()).isLessThan(written.get());
    System.out.println(
        KILLS
            + " kills, "
            + answered.size()
            + " answered, "
            + keyed
            + " keyed rows, "
            + exportsAnswered.size()
            + " exported, "
            + streamed);
  }
}
