package io.wexrun.network;

import static org.assertj.core.api.Assertions.assertThat;

import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import io.wexrun.contract.Seeds;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.Socket;
import java.net.SocketTimeoutException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.SplittableRandom;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * Spoiled conversations of each protocol, over and over: nothing that is not whole is answered as
 * taken, and whoever speaks properly is served as before.
 */
class FuzzTest {
  private static final int TRIES = 150 * Seeds.times();

  @TempDir private Path folder;

  private static byte[] bytes(String text) {
    return text.getBytes(StandardCharsets.ISO_8859_1);
  }

  private static byte[] with(String head, byte[] body) {
    ByteArrayOutputStream all = new ByteArrayOutputStream();
    all.writeBytes(bytes(head + "Content-Length: " + body.length + "\r\n\r\n"));
    all.writeBytes(body);
    return all.toByteArray();
  }

  /** Conversations that are right, of which spoiled ones are made. */
  private static List<byte[]> right(String kind) {
    byte[] logs =
        ExportLogsServiceRequest.newBuilder()
            .addResourceLogs(
                ResourceLogs.newBuilder()
                    .addScopeLogs(
                        ScopeLogs.newBuilder()
                            .addLogRecords(
                                LogRecord.newBuilder()
                                    .setTimeUnixNano(1)
                                    .setBody(AnyValue.newBuilder().setStringValue("whole")))))
            .build()
            .toByteArray();
    String post = "POST /in HTTP/1.1\r\nHost: x\r\n";
    return switch (kind) {
      case "http" ->
          List.of(
              with(
                  post + "Content-Type: application/json\r\n",
                  bytes("[{\"whole\":1},[\"whole\"]]")),
              with(post + "Idempotency-Key: \"k\"\r\nContent-Encoding: gzip\r\n", new byte[40]),
              bytes(post + "Transfer-Encoding: chunked\r\n\r\n6\r\nwhole\n\r\n0\r\n\r\n"),
              bytes(
                  "PRI * HTTP/2.0\r\n\r\n"
                      + "SM\r\n\r\n"
                      + "\0\0\0\4\0\0\0\0\0\0\0\3\1\4\0\0\0\1\u0082\u0086"));
      case "otlp" ->
          List.of(
              with(
                  "POST /v1/logs HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-protobuf\r\n",
                  logs),
              with(
                  "POST /v1/logs HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n",
                  bytes(
                      "{\"resourceLogs\":[{\"scopeLogs\":[{\"logRecords\":[{\"body\":"
                          + "{\"stringValue\":\"whole\"}}]}]}]}")));
      default -> List.of(bytes("17 <13>whole message<13>whole line\n5 whole"), bytes("whole\n\n"));
    };
  }

  private static byte[] spoil(byte[] right, SplittableRandom dice) {
    byte[] spoiled = right.clone();
    switch (dice.nextInt(5)) {
      case 0 -> dice.nextBytes(spoiled);
      case 1 -> spoiled = Arrays.copyOf(spoiled, dice.nextInt(spoiled.length) + 1);
      case 2 -> {
        byte[] twice = Arrays.copyOf(spoiled, spoiled.length * 2);
        System.arraycopy(spoiled, 0, twice, dice.nextInt(spoiled.length), spoiled.length);
        spoiled = twice;
      }
      default -> {
        for (int i = dice.nextInt(4); i >= 0; i--) {
          spoiled[dice.nextInt(spoiled.length)] = (byte) dice.nextInt();
        }
      }
    }
    return spoiled;
  }

  private static String talk(int port, byte[] bytes, int patience) throws IOException {
    try (Socket socket = new Socket("127.0.0.1", port)) {
      socket.setSoTimeout(patience);
      socket.getOutputStream().write(bytes);
      InputStream in = socket.getInputStream();
      byte[] answer = new byte[4096];
      int n = in.read(answer);
      return n < 0 ? "" : new String(answer, 0, n, StandardCharsets.ISO_8859_1);
    } catch (SocketTimeoutException e) {
      return ""; // It waits for more.
    } catch (IOException e) {
      return ""; // It was closed while more was written.
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"http", "otlp", "tcp", "syslog"})
  void whoeverSpeaksProperlyIsServedBesideTheOthers(String kind) throws Exception {
    long seed = System.nanoTime();
    System.out.println("fuzz seed " + kind + " " + seed);
    SplittableRandom dice = new SplittableRandom(seed);
    Object[] more = kind.equals("syslog") ? new Object[] {"over", "tcp"} : new Object[0];
    boolean answers = kind.equals("http") || kind.equals("otlp");
    try (Receiver receiver = Receiver.of(folder, kind, kind.equals("http") ? "0/in" : 0, more)) {
      List<byte[]> right = right(kind);
      for (int i = 0; i < TRIES; i++) {
        byte[] spoiled = spoil(right.get(dice.nextInt(right.size())), dice);
        String answer = talk(receiver.port(), spoiled, 40);
        assertThat(answer).as("seed %s", seed).doesNotContain("it failed here", "Exception");
        if (i % 50 == 49) {
          receiver.texts();
          String whole = talk(receiver.port(), right.get(0), answers ? 10_000 : 40);
          assertThat(whole).as("seed %s", seed).startsWith(answers ? "HTTP/1.1 200" : "");
          assertThat(receiver.take(1).stream().map(Receiver.Taken::text).toList().toString())
              .as("seed %s", seed)
              .isNotEmpty();
        }
      }
      assertThat(receiver.notices).hasSize(1);
    }
  }
}
