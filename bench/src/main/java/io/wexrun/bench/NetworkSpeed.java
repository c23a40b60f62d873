package io.wexrun.bench;

import com.google.protobuf.ByteString;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Consumer;

/**
 * What a run takes from loopback clients, which share the cores with it: requests of many records
 * and of one, syslog, OpenTelemetry; and a busy client beside very many slow ones. The queue is
 * synced each 50 ms, and the pipelines drop what they read.
 */
final class NetworkSpeed {
  private static final int BATCH = 500;
  private static final int LINE = 130;
  private static final int SLOW = 1000;

  private final Path folder;
  private final int seconds;
  private final Consumer<String> say;
  private final List<Long> latencies = new ArrayList<>();

  NetworkSpeed(Path folder, boolean quick, Consumer<String> say) {
    this.folder = folder;
    this.seconds = quick ? 5 : 15;
    this.say = say;
  }

  private void tell(String what, double figure) {
    say.accept(String.format(Locale.ROOT, "%-60s %,15.1f", what, figure));
  }

  private static int freePort() throws IOException {
    try (ServerSocket socket = new ServerSocket(0)) {
      return socket.getLocalPort();
    }
  }

  void measure() throws Exception {
    int http = freePort();
    int otlp = freePort();
    int syslog = freePort();
    Process run = start(http, otlp, syslog);
    try {
      byte[] line = ("x".repeat(LINE - 1) + "\n").getBytes(StandardCharsets.US_ASCII);
      byte[] many = new byte[LINE * BATCH];
      for (int i = 0; i < BATCH; i++) {
        System.arraycopy(line, 0, many, i * LINE, LINE);
      }
      byte[] batch = request("/in", "text/plain", many);
      byte[] one = request("/in", "text/plain", line);
      byte[] logs = request("/v1/logs", "application/x-protobuf", logs());
      requests("warm-up", http, batch, 8, BATCH, 0);
      double alone = requests("http, 500 records a request: records/s", http, batch, 8, BATCH, 0);
      requests("http, the same at half of that", http, batch, 8, BATCH, alone / BATCH / 2);
      double single = requests("http, one record a request: requests/s", http, one, 64, 1, 0);
      requests("http, the same at half of that", http, one, 64, 1, single / 2);
      requests("otlp over http, 500 records a request: records/s", otlp, logs, 8, BATCH, 0);
      tell("syslog over tcp: lines/s", stream(syslog));
      List<Socket> slow = slow(http);
      AtomicBoolean over = new AtomicBoolean();
      Thread dripping = new Thread(() -> drip(slow, over));
      dripping.start();
      double beside =
          requests("http, beside 1,000 slow senders: records/s", http, batch, 8, BATCH, 0);
      over.set(true);
      dripping.join();
      for (Socket socket : slow) {
        socket.close();
      }
      tell("the same as a share of what it was alone, %", 100 * beside / alone);
    } finally {
      run.destroy();
      run.waitFor(60, TimeUnit.SECONDS);
    }
  }

  private Process start(int http, int otlp, int syslog) throws Exception {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        "workspace: doors\nqueues:\n"
            + "  posted: {partitions: 2, sync: 50ms, keep: {size: 500MB}}\n"
            + "  exported: {partitions: 2, sync: 50ms, keep: {size: 500MB}}\n"
            + "  logged: {partitions: 2, sync: 50ms, keep: {size: 500MB}}\n");
    String end = ", queue: %s}\nroute:\n  - otherwise: drop\n";
    Files.writeString(
        folder.resolve("pipelines/doors.yaml"),
        "pipeline: http\nintake: {http: "
            + http
            + "/in"
            + end.formatted("posted")
            + "---\npipeline: otlp\nintake: {otlp: "
            + otlp
            + end.formatted("exported")
            + "---\npipeline: syslog\nintake: {syslog: "
            + syslog
            + end.formatted("logged"));
    Path said = folder.resolve("run.txt");
    Process run =
        new ProcessBuilder(System.getProperty("wexrun.launcher"), "run")
            .directory(folder.toFile())
            .redirectErrorStream(true)
            .redirectOutput(said.toFile())
            .start();
    for (int i = 0; i < 600; i++) {
      String text = Files.exists(said) ? Files.readString(said) : "";
      if (text.lines().filter(l -> l.contains("listening at")).count() >= 4) {
        return run;
      }
      if (!run.isAlive()) {
        throw new IOException("the run ended: " + text);
      }
      Thread.sleep(100);
    }
    throw new IOException("the run does not listen: " + Files.readString(said));
  }

  private static byte[] request(String path, String type, byte[] body) {
    String head =
        "POST "
            + path
            + " HTTP/1.1\r\nHost: localhost\r\nContent-Type: "
            + type
            + "\r\nContent-Length: "
            + body.length
            + "\r\n\r\n";
    byte[] bytes = head.getBytes(StandardCharsets.US_ASCII);
    byte[] all = Arrays.copyOf(bytes, bytes.length + body.length);
    System.arraycopy(body, 0, all, bytes.length, body.length);
    return all;
  }

  private static byte[] logs() {
    ScopeLogs.Builder scope = ScopeLogs.newBuilder();
    for (int i = 0; i < BATCH; i++) {
      scope.addLogRecords(
          LogRecord.newBuilder()
              .setTimeUnixNano(1_777_777_200_000_000_000L + i)
              .setSeverityNumberValue(9)
              .setBody(AnyValue.newBuilder().setStringValue("door " + i + " opened at the stop"))
              .setTraceId(ByteString.copyFrom(new byte[16]))
              .addAttributes(
                  KeyValue.newBuilder()
                      .setKey("door")
                      .setValue(AnyValue.newBuilder().setIntValue(i))));
    }
    return ExportLogsServiceRequest.newBuilder()
        .addResourceLogs(ResourceLogs.newBuilder().addScopeLogs(scope))
        .build()
        .toByteArray();
  }

  /** Sends a request over and over by each of some connections, and reads its answer. */
  private double requests(
      String what, int port, byte[] request, int connections, int records, double rate)
      throws Exception {
    AtomicLong answered = new AtomicLong();
    long until = System.nanoTime() + seconds * 1_000_000_000L;
    List<Thread> threads = new ArrayList<>();
    List<IOException> failures = new ArrayList<>();
    synchronized (latencies) {
      latencies.clear();
    }
    long gap = rate == 0 ? 0 : (long) (connections * 1e9 / rate);
    for (int i = 0; i < connections; i++) {
      Thread thread = new Thread(() -> send(port, request, until, gap, answered, failures));
      thread.start();
      threads.add(thread);
    }
    for (Thread thread : threads) {
      thread.join();
    }
    if (!failures.isEmpty()) {
      throw failures.get(0);
    }
    double each = answered.get() * (double) records / seconds;
    if (!what.equals("warm-up")) {
      tell(what, each);
      long[] sorted = latencies.stream().mapToLong(Long::longValue).sorted().toArray();
      tell("  answered after, ms, p50", sorted[sorted.length / 2] / 1e6);
      tell("  answered after, ms, p99", sorted[sorted.length * 99 / 100] / 1e6);
    }
    return each;
  }

  private void send(
      int port,
      byte[] request,
      long until,
      long gap,
      AtomicLong answered,
      List<IOException> failures) {
    List<Long> mine = new ArrayList<>();
    try (Socket socket = new Socket("127.0.0.1", port)) {
      socket.setTcpNoDelay(true);
      OutputStream out = socket.getOutputStream();
      InputStream in = socket.getInputStream();
      byte[] buffer = new byte[4096];
      long next = System.nanoTime();
      while (System.nanoTime() < until) {
        if (gap > 0) {
          next += gap;
          long wait = next - System.nanoTime();
          if (wait > 0) {
            Thread.sleep(wait / 1_000_000, (int) (wait % 1_000_000));
          }
        }
        long begun = System.nanoTime();
        out.write(request);
        answer(in, buffer);
        answered.incrementAndGet();
        mine.add(System.nanoTime() - begun);
      }
    } catch (IOException e) {
      synchronized (failures) {
        failures.add(e);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    synchronized (latencies) {
      latencies.addAll(mine);
    }
  }

  /** Reads an answer, which is known by its length. */
  private static void answer(InputStream in, byte[] buffer) throws IOException {
    int length = 0;
    while (true) {
      int n = in.read(buffer, length, buffer.length - length);
      if (n < 0) {
        throw new IOException("closed behind " + new String(buffer, 0, length));
      }
      length += n;
      String text = new String(buffer, 0, length, StandardCharsets.ISO_8859_1);
      int end = text.indexOf("\r\n\r\n");
      int told = text.indexOf("content-length: ");
      if (end >= 0 && told >= 0) {
        int body = Integer.parseInt(text.substring(told + 16, text.indexOf('\r', told)));
        if (length >= end + 4 + body) {
          if (!text.startsWith("HTTP/1.1 200")) {
            throw new IOException(text);
          }
          return;
        }
      }
    }
  }

  private double stream(int port) throws IOException {
    byte[] line =
        "<13>1 2026-05-03T03:00:00Z depot-south points 77 - - points 7 thrown for tram-331, as asked\n"
            .getBytes(StandardCharsets.US_ASCII);
    long count = 0;
    long begun = System.nanoTime();
    try (Socket socket = new Socket("127.0.0.1", port);
        OutputStream out = new BufferedOutputStream(socket.getOutputStream(), 1 << 16)) {
      while (System.nanoTime() - begun < seconds * 1_000_000_000L) {
        for (int i = 0; i < 1000; i++) {
          out.write(line);
        }
        count += 1000;
      }
    }
    return count * 1e9 / (System.nanoTime() - begun);
  }

  private static List<Socket> slow(int port) throws IOException {
    List<Socket> sockets = new ArrayList<>();
    for (int i = 0; i < SLOW; i++) {
      Socket socket = new Socket("127.0.0.1", port);
      socket
          .getOutputStream()
          .write("POST /in HTTP/1.1\r\nContent-Length: 100000\r\n\r\n".getBytes());
      sockets.add(socket);
    }
    return sockets;
  }

  /** A byte a second from each. */
  private static void drip(List<Socket> sockets, AtomicBoolean over) {
    while (!over.get()) {
      for (Socket socket : sockets) {
        try {
          socket.getOutputStream().write('x');
        } catch (IOException e) {
          continue; // It was closed: it took too long.
        }
      }
      try {
        Thread.sleep(1000);
      } catch (InterruptedException e) {
        return;
      }
    }
  }
}
