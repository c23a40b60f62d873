package io.wexrun.network;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.github.luben.zstd.Zstd;
import io.wexrun.network.access.Tokens;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.zip.DeflaterOutputStream;
import java.util.zip.GZIPOutputStream;
import javax.net.ssl.SSLException;
import javax.net.ssl.SSLSocket;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Requests from a real client, and from sockets that break the rules. */
class HttpTest {
  private static final String JSON = "application/json";

  @TempDir private Path folder;
  private final HttpClient client = HttpClient.newHttpClient();

  private static HttpRequest.Builder to(Receiver receiver, String path) {
    return HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + receiver.port() + path));
  }

  private HttpResponse<String> post(Receiver receiver, String type, byte[] body, String... headers)
      throws Exception {
    HttpRequest.Builder request =
        to(receiver, "/in").POST(HttpRequest.BodyPublishers.ofByteArray(body));
    request.header("content-type", type);
    for (int i = 0; i < headers.length; i += 2) {
      request.header(headers[i], headers[i + 1]);
    }
    return client.send(request.build(), BodyHandlers.ofString());
  }

  private HttpResponse<String> post(Receiver receiver, String type, String body, String... headers)
      throws Exception {
    return post(receiver, type, body.getBytes(StandardCharsets.UTF_8), headers);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "text/plain ~ a|b||c ~ a, b, c",
        "text/plain; charset=ISO-8859-1 ~ a\u00fc ~ a\u00fc",
        "application/json ~ {\"a\": [1, {\"b\": \"]\"}]} ~ {\"a\": [1, {\"b\": \"]\"}]}",
        "application/json ~ [{\"a\":1}, [2, 3] ,\"x\\\"y\", 4.5,null,true] ~"
            + " {\"a\":1}, [2, 3], \"x\\\"y\", 4.5, null, true",
        "application/json ~ [] ~ ``",
        "application/json ~ {\"a\":1} {\"a\":2} ~ {\"a\":1}, {\"a\":2}",
        "application/vnd.ostrel.v1+json ~ [{\"a\":1},{\"a\":2}] ~ {\"a\":1}, {\"a\":2}",
        "application/x-ndjson ~ {\"a\":1}|{\"a\"| ~ {\"a\":1}, {\"a\"",
        "text/csv ~ 1,\"x|y\"|2,z| ~ 1,\"x|y\", 2,z",
        "application/octet-stream ~ a|b|| ~ a|b||",
        "application/cloudevents+json ~ {\"specversion\":\"1.0\",|\"data\":1} ~"
            + " {\"specversion\":\"1.0\",|\"data\":1}",
        "application/cloudevents-batch+json ~ [{\"id\":1},{\"id\":2}] ~ {\"id\":1}, {\"id\":2}",
      })
  void aBodyIsTakenApartByItsMediaType(String type, String body, String records) throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      boolean latin = type.contains("8859");
      byte[] bytes =
          body.replace('|', '\n')
              .getBytes(latin ? StandardCharsets.ISO_8859_1 : StandardCharsets.UTF_8);
      HttpResponse<String> answer = post(receiver, type, bytes);
      assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
      List<String> texts = receiver.texts();
      assertThat(String.join(", ", texts).replace('\n', '|'))
          .isEqualTo(records == null ? "" : records);
      assertThat(answer.body()).isEqualTo("{\"taken\":" + texts.size() + "}");
    }
  }

  @Test
  void whatIsKnownBesideTheBytesBecomesHeaders() throws Exception {
    try (Receiver receiver =
        Receiver.of(
            folder, "http", "0/depots/{depot}/{line}", "headers", List.of("X-Car"), "peer", true)) {
      HttpRequest request =
          to(receiver, "/depots/south/7?x=1")
              .header("x-car", "331")
              .header("ce-specversion", "1.0")
              .header("ce-id", "e1")
              .header("ce-type", "ostrel.door")
              .header("content-type", JSON)
              .POST(HttpRequest.BodyPublishers.ofString("{\"open\": true}"))
              .build();
      assertThat(client.send(request, BodyHandlers.ofString()).statusCode()).isEqualTo(200);
      Receiver.Taken taken = receiver.take(1).get(0);
      assertThat(taken.text()).isEqualTo("{\"open\": true}");
      assertThat(taken.headers())
          .isEqualTo(
              Map.of(
                  "depot",
                  "south",
                  "line",
                  "7",
                  "x-car",
                  "331",
                  "peer",
                  "127.0.0.1",
                  "ce-specversion",
                  "1.0",
                  "ce-id",
                  "e1",
                  "ce-type",
                  "ostrel.door"));
    }
  }

  @Test
  void theFirstLineOfSeparatedValuesMayNameTheColumns() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      post(receiver, "text/csv; header=present", "a,b\n1,2\n3,4\n");
      post(receiver, "text/csv; header=present", "b,c\n5,6\n");
      post(receiver, "text/csv", "7,8\n");
      assertThat(receiver.take(4).stream().map(t -> t.columns() + ":" + t.text()))
          .containsExactlyInAnyOrder("a,b:1,2", "a,b:3,4", "b,c:5,6", ":7,8");
    }
  }

  @Test
  void compressedBodiesAreUnpackedWithinBounds() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "most", "1MB")) {
      byte[] line = "a line\n".repeat(3).getBytes();
      assertThat(post(receiver, "text/plain", gzip(line), "content-encoding", "gzip").body())
          .isEqualTo("{\"taken\":3}");
      assertThat(
              post(receiver, "text/plain", Zstd.compress(line), "content-encoding", "zstd").body())
          .isEqualTo("{\"taken\":3}");
      ByteArrayOutputStream zlib = new ByteArrayOutputStream();
      try (DeflaterOutputStream out = new DeflaterOutputStream(zlib)) {
        out.write(line);
      }
      assertThat(
              post(receiver, "text/plain", zlib.toByteArray(), "content-encoding", "deflate")
                  .body())
          .isEqualTo("{\"taken\":3}");
      byte[] bomb = gzip(new byte[3 << 20]);
      HttpResponse<String> answer = post(receiver, "text/plain", bomb, "content-encoding", "gzip");
      assertThat(answer.statusCode()).isEqualTo(413);
      assertThat(answer.body()).contains("unpacked, it has more than the 1048576 bytes");
      assertThat(post(receiver, "text/plain", line, "content-encoding", "gzip").body())
          .contains("\"status\":400", "it is not gzip");
      assertThat(post(receiver, "text/plain", line, "content-encoding", "br").statusCode())
          .isEqualTo(415);
      assertThat(post(receiver, "text/plain", new byte[2 << 20]).body())
          .contains("a request has at most 1048576 bytes here");
      assertThat(receiver.texts()).hasSize(9);
    }
  }

  private static byte[] gzip(byte[] bytes) throws IOException {
    ByteArrayOutputStream packed = new ByteArrayOutputStream();
    try (GZIPOutputStream out = new GZIPOutputStream(packed)) {
      out.write(bytes);
    }
    return packed.toByteArray();
  }

  @Test
  void whatIsWrongIsToldAsAProblem() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "strict", true)) {
      HttpResponse<String> answer = post(receiver, JSON, "[{\"a\":1},{\"a\":}]");
      assertThat(answer.statusCode()).isEqualTo(400);
      assertThat(answer.headers().firstValue("content-type")).contains("application/problem+json");
      assertThat(answer.body()).contains("\"record\":2", "it is not JSON at byte 14, in record 2");
      assertThat(post(receiver, JSON, "[{\"a\":1}").body())
          .contains("Unexpected end-of-input: expected close marker for Array\"")
          .doesNotContain("REDACTED");
      answer = post(receiver, "application/x-ndjson", "{}\n{}\n{\"a\"\n");
      assertThat(answer.statusCode()).isEqualTo(422);
      assertThat(answer.body()).contains("\"record\":3", "record 3 is not JSON");
      assertThat(post(receiver, "image/png", "x").statusCode()).isEqualTo(415);
      assertThat(post(receiver, "text/plain; charset=none-such", "x").statusCode()).isEqualTo(415);
      HttpRequest elsewhere =
          to(receiver, "/out").POST(HttpRequest.BodyPublishers.noBody()).build();
      assertThat(client.send(elsewhere, BodyHandlers.ofString()).statusCode()).isEqualTo(404);
      HttpResponse<String> get = client.send(to(receiver, "/in").build(), BodyHandlers.ofString());
      assertThat(get.statusCode()).isEqualTo(405);
      assertThat(get.headers().firstValue("allow")).contains("POST");
      assertThat(receiver.texts()).isEmpty();
    }
  }

  @Test
  void aRepeatedRequestIsNotTakenTwiceNotEvenByAnotherProcess() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      assertThat(post(receiver, "text/plain", "a\nb\n", "idempotency-key", "\"k1\"").body())
          .isEqualTo("{\"taken\":2}");
      assertThat(post(receiver, "text/plain", "a\nb\n", "idempotency-key", "\"k1\"").body())
          .isEqualTo("{\"taken\":2,\"repeated\":true}");
      assertThat(post(receiver, "text/plain", "c\n", "idempotency-key", "k1").statusCode())
          .isEqualTo(422);
      List<CompletableFuture<HttpResponse<String>>> together = new ArrayList<>();
      for (int i = 0; i < 20; i++) {
        HttpRequest request =
            to(receiver, "/in")
                .header("idempotency-key", "k2")
                .POST(HttpRequest.BodyPublishers.ofString("together"))
                .build();
        together.add(client.sendAsync(request, BodyHandlers.ofString()));
      }
      assertThat(together.stream().map(f -> f.join().body()).filter("{\"taken\":1}"::equals))
          .hasSize(1);
      assertThat(receiver.texts()).containsExactlyInAnyOrder("a", "b", "together");
    }
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      assertThat(post(receiver, "text/plain", "a\nb\n", "idempotency-key", "k1").body())
          .isEqualTo("{\"taken\":2,\"repeated\":true}");
      assertThat(receiver.texts()).containsExactlyInAnyOrder("a", "b", "together");
    }
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "repeats", "0s")) {
      assertThat(post(receiver, "text/plain", "a\n", "idempotency-key", "k1").body())
          .isEqualTo("{\"taken\":1}");
    }
  }

  @Test
  void nothingIsTakenWhileThePipelineIsTooFarBehind() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "behind", "5")) {
      assertThat(post(receiver, "text/plain", "1\n2\n3\n4\n5\n6\n").statusCode()).isEqualTo(200);
      HttpResponse<String> answer = post(receiver, "text/plain", "7\n");
      long until = System.nanoTime() + 5_000_000_000L;
      while (answer.statusCode() == 200 && System.nanoTime() < until) {
        answer = post(receiver, "text/plain", "7\n");
      }
      assertThat(answer.statusCode()).isEqualTo(429);
      assertThat(answer.headers().firstValue("retry-after")).contains("1");
      receiver.texts();
      answer = post(receiver, "text/plain", "8\n");
      until = System.nanoTime() + 5_000_000_000L;
      while (answer.statusCode() == 429 && System.nanoTime() < until) {
        answer = post(receiver, "text/plain", "8\n");
      }
      assertThat(answer.statusCode()).isEqualTo(200);
    }
  }

  @Test
  void onlyWhoHasATokenComesIn() throws Exception {
    Tokens tokens = new Tokens(folder.resolve(".wexrun"));
    String all = tokens.add("all", List.of("*"), false, 0, 0).secret();
    String other = tokens.add("other", List.of("elsewhere"), false, 0, 0).secret();
    String slow = tokens.add("slow", List.of("q"), false, 2, 10).secret();
    assertThat(Files.readString(folder.resolve(".wexrun/tokens.json")))
        .doesNotContain(all, other, slow);
    assertThatThrownBy(() -> tokens.add("all", List.of("*"), false, 0, 0))
        .hasMessageContaining("there is a token 'all' already");
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "access", "token")) {
      HttpResponse<String> none = post(receiver, "text/plain", "x");
      assertThat(none.statusCode()).isEqualTo(401);
      assertThat(none.headers().firstValue("www-authenticate")).contains("Bearer");
      assertThat(post(receiver, "text/plain", "x", "authorization", "Bearer wxr_x").statusCode())
          .isEqualTo(401);
      assertThat(post(receiver, "text/plain", "x", "authorization", "Basic eDp5").statusCode())
          .isEqualTo(401);
      assertThat(post(receiver, "text/plain", "x", "authorization", "Bearer " + other).body())
          .contains("\"status\":403", "other may not append to queue q");
      assertThat(post(receiver, "text/plain", "a", "authorization", "bearer " + all).statusCode())
          .isEqualTo(200);
      String mine = "Bearer " + slow;
      assertThat(post(receiver, "text/plain", "b\nc\nd", "authorization", mine).statusCode())
          .isEqualTo(200);
      HttpResponse<String> fast = post(receiver, "text/plain", "e", "authorization", mine);
      assertThat(fast.statusCode()).isEqualTo(429);
      assertThat(fast.headers().firstValue("retry-after")).isPresent();
      assertThat(post(receiver, "text/plain", "e".repeat(11), "authorization", mine).statusCode())
          .isEqualTo(413);
      tokens.revoke("all");
      int status = 200;
      for (long until = System.nanoTime() + 5_000_000_000L;
          status == 200 && System.nanoTime() < until; ) {
        status = post(receiver, "text/plain", "z", "authorization", "Bearer " + all).statusCode();
      }
      assertThat(status).isEqualTo(401);
      Files.writeString(folder.resolve(".wexrun/tokens.json"), "{\"tokens\": [{");
      for (long until = System.nanoTime() + 5_000_000_000L;
          status != 503 && System.nanoTime() < until; ) {
        status = post(receiver, "text/plain", "z", "authorization", mine).statusCode();
      }
      status = post(receiver, "text/plain", "x", "authorization", mine).statusCode();
      assertThat(status).isEqualTo(503);
      assertThat(receiver.notices)
          .hasSize(2)
          .last()
          .asString()
          .contains("tokens.json is damaged (", "nobody is let in meanwhile")
          .doesNotContain("REDACTED", "\n");
      assertThat(receiver.texts()).contains("a", "b", "c", "d").doesNotContain("x", "e");
    }
  }

  @Test
  void encryptedConnectionsSpeakHttp2AndMayNeedACertificate() throws Exception {
    Pem server = Pem.of(folder, "server");
    Pem sender = Pem.of(folder, "sender");
    Map<String, Object> tls = Map.of("certificate", "server.pem", "key", "server-key.pem");
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "tls", tls)) {
      HttpClient secure = HttpClient.newBuilder().sslContext(server.client(null)).build();
      URI uri = URI.create("https://localhost:" + receiver.port() + "/in");
      HttpRequest request =
          HttpRequest.newBuilder(uri).POST(HttpRequest.BodyPublishers.ofString("a\nb")).build();
      HttpResponse<String> answer = secure.send(request, BodyHandlers.ofString());
      assertThat(answer.version()).isEqualTo(HttpClient.Version.HTTP_2);
      assertThat(answer.body()).isEqualTo("{\"taken\":2}");
      Pem renewed = Pem.of(folder, "server");
      HttpClient later = HttpClient.newBuilder().sslContext(renewed.client(null)).build();
      boolean in = false;
      for (long until = System.nanoTime() + 10_000_000_000L; !in && System.nanoTime() < until; ) {
        try {
          in = later.send(request, BodyHandlers.ofString()).statusCode() == 200;
        } catch (IOException e) {
          in = false; // Not read again yet.
        }
      }
      assertThat(in).isTrue();
    }
    Map<String, Object> known =
        Map.of("certificate", "server.pem", "key", "server-key.pem", "clients", "sender.pem");
    Pem again = Pem.of(folder, "server");
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "tls", known)) {
      URI uri = URI.create("https://localhost:" + receiver.port() + "/in");
      HttpRequest request =
          HttpRequest.newBuilder(uri).POST(HttpRequest.BodyPublishers.ofString("c")).build();
      HttpClient nobody = HttpClient.newBuilder().sslContext(again.client(null)).build();
      assertThatThrownBy(() -> nobody.send(request, BodyHandlers.ofString()))
          .isInstanceOf(IOException.class);
      HttpClient knownOne = HttpClient.newBuilder().sslContext(again.client(sender)).build();
      assertThat(knownOne.send(request, BodyHandlers.ofString()).statusCode()).isEqualTo(200);
      assertThat(receiver.texts()).contains("c");
    }
  }

  @ParameterizedTest
  @CsvSource({
    "TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256 TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256, TLSv1.2, true",
    "TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA256 TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA256, TLSv1.2, false",
    "TLS_RSA_WITH_AES_128_GCM_SHA256, TLSv1.2, false",
    "TLS_AES_128_GCM_SHA256, TLSv1.3, true",
  })
  void onlyForwardSecrecyWithAuthenticatedEncryptionIsSpoken(
      String suites, String version, boolean spoken) throws Exception {
    Pem server = Pem.of(folder, "server");
    Map<String, Object> tls = Map.of("certificate", "server.pem", "key", "server-key.pem");
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "tls", tls);
        SSLSocket socket =
            (SSLSocket)
                server.client(null).getSocketFactory().createSocket("localhost", receiver.port())) {
      socket.setSoTimeout(20_000);
      socket.setEnabledCipherSuites(suites.split(" "));
      socket.setEnabledProtocols(new String[] {version});
      if (spoken) {
        socket.startHandshake();
        assertThat(suites).contains(socket.getSession().getCipherSuite());
      } else {
        assertThatThrownBy(socket::startHandshake).isInstanceOf(SSLException.class);
      }
    }
  }

  /** Writes bytes into a socket, and returns what comes back until the other side ends. */
  private static String raw(Receiver receiver, String... parts) throws IOException {
    try (Socket socket = new Socket("127.0.0.1", receiver.port())) {
      socket.setSoTimeout(10_000);
      for (String part : parts) {
        socket.getOutputStream().write(part.getBytes(StandardCharsets.ISO_8859_1));
        socket.getOutputStream().flush();
      }
      return new String(socket.getInputStream().readAllBytes(), StandardCharsets.ISO_8859_1);
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "Content-Length: 3|Transfer-Encoding: chunked|~ 0||abc ~ 400",
        "Content-Length: 3|Content-Length: 5|~ abcde ~ 400",
        "Content-Length: +3|~ abc ~ 400",
        "Content-Length: -1|~ abc ~ 400",
        "Content-Length: 99999999999999999999|~ abc ~ 4",
        "Content-Length : 3|~ abc ~ 400",
        "Transfer-Encoding: chunked|~ zz|abc| ~ 400",
        "Transfer-Encoding: xchunked|~ abc ~ 4",
        "X: a\u0000b|Content-Length: 3|~ abc ~ 400",
        " folded|Content-Length: 3|~ abc ~ 400",
      })
  void requestsThatCouldBeReadInTwoWaysAreRefused(String headers, String body, String status)
      throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      String head = "POST /in HTTP/1.1\r\nHost: x\r\nConnection: close\r\n";
      String answer =
          raw(receiver, head + headers.replace("|", "\r\n") + "\r\n" + body.replace("|", "\r\n"));
      assertThat(answer).startsWith("HTTP/1.1 " + status);
      assertThat(receiver.texts()).isEmpty();
    }
  }

  /** A line break is written as |; every request gets an answer. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "POST /%zz HTTP/1.1|Host: x|Content-Length: 1||a ~ 400",
        "POST /in HTTP/1.1|Host: x|Content-Length: 1||a ~ 200",
        "POST http://x/in HTTP/1.1|Host: x|Content-Length: 1||a ~ 200",
        "POST HTTP://other.example:1/in?q HTTP/1.1|Host: x|Content-Length: 1||a ~ 200",
        "POST /in HTTP/1.1|Content-Length: 1||a ~ 400",
        "POST /in HTTP/1.1|Host: x|Host: y|Content-Length: 1||a ~ 400",
        "POST /in HTTP/1.1|Host: x y|Content-Length: 1||a ~ 400",
        "POST /in HTTP/1.1|Host: a/b|Content-Length: 1||a ~ 400",
        "POST /in HTTP/1.1|Host: [::1]:8400|Content-Length: 1||a ~ 200",
        "POST /in HTTP/1.1|Host:|Content-Length: 1||a ~ 200",
        "POST /in HTTP/1.0|Content-Length: 1||a ~ 200",
        "POST /in HTTP/1.0||a ~ 411",
        "POST /in HTTP/1.0|Transfer-Encoding: chunked||1|a|0|| ~ 400",
        "POST /in HTTP/1.1|Host: x|Transfer-Encoding: gzip, chunked||0|| ~ 501",
        "POST /in HTTP/1.1|Host: x|Transfer-Encoding: gzip||a ~ 400",
        "POST /in HTTP/1.1|Host: x|Transfer-Encoding: Chunked||1|a|0|| ~ 200",
        "POST /in HTTP/1.1|Host: x|X: a| b|Content-Length: 1||a ~ 200",
        "OPTIONS * HTTP/1.1|Host: x|| ~ 404",
        "POST /in HTTP/1.1|Host: x:1|Origin: http://evil.example|Content-Length: 1||a ~ 403",
        "POST /in HTTP/1.1|Host: x:1|Origin: null|Content-Length: 1||a ~ 403",
        "POST /in HTTP/1.1|Host: x:1|Origin: http://x:1|Content-Length: 1||a ~ 200",
        "POST /in HTTP/1.1|Host: x:1|Origin: https://ostrel.example|Content-Length: 1||a ~ 200",
      })
  void everyRequestIsAnsweredAsTheRulesSay(String request, String status) throws Exception {
    try (Receiver receiver =
        Receiver.of(folder, "http", "0/in", "origins", List.of("https://ostrel.example"))) {
      int end = request.indexOf('|');
      String answer =
          raw(
              receiver,
              (request.substring(0, end) + "|Connection: close" + request.substring(end))
                  .replace("|", "\r\n"));
      assertThat(answer).startsWith("HTTP/1.1 " + status);
      assertThat(receiver.texts().size()).isEqualTo(status.equals("200") ? 1 : 0);
    }
  }

  @Test
  void whatIsRefusedIsCountedByReason() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      for (int i = 0; i < 3; i++) {
        raw(receiver, "POST /%zz HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n");
      }
      raw(receiver, "GET /in HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n");
      assertThat(receiver.refusals().toString()).contains("reason=400]=3", "reason=405]=1");
    }
  }

  @Test
  void floodsHaveABoundedCost() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in", "most", "1MB")) {
      assertThat(raw(receiver, "POST /" + "x".repeat(20_000) + " HTTP/1.1\r\n\r\n"))
          .startsWith("HTTP/1.1 414");
      assertThat(raw(receiver, "POST /in HTTP/1.1\r\n" + "X-A: b\r\n".repeat(9000)))
          .startsWith("HTTP/1.1 431");
      String chunk = "8000\r\n" + "x".repeat(0x8000) + "\r\n";
      String[] parts = new String[40];
      Arrays.fill(parts, chunk);
      parts[0] = "POST /in HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n" + chunk;
      String endless;
      try {
        endless = raw(receiver, parts);
      } catch (IOException e) {
        endless = "HTTP/1.1 413"; // The connection was cut while more was written.
      }
      assertThat(endless).startsWith("HTTP/1.1 413");
      assertThat(raw(receiver, "\u0016\u0003\u0001 no TLS here\r\n\r\n"))
          .startsWith("HTTP/1.1 400");
      assertThat(raw(receiver, "PRI * HTTP/2.0\r\n\r\nSM\r\n\r\nnot a frame at all"))
          .doesNotContain("HTTP/1.1");
      assertThat(post(receiver, "text/plain", "still here").statusCode()).isEqualTo(200);
      assertThat(receiver.texts()).containsExactly("still here");
    }
  }

  @Test
  void pathTricksLeadNowhere() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/depots/{depot}")) {
      for (String path :
          List.of(
              "/depots/../in",
              "/depots/a/b",
              "//depots/a",
              "/depots/",
              "*",
              "/depots/%2e%2e%2Fx")) {
        assertThat(
                raw(
                    receiver,
                    "POST "
                        + path
                        + " HTTP/1.1\r\nHost: x\r\nConnection: close\r\n"
                        + "Content-Length: 1\r\n\r\nx"))
            .as(path)
            .startsWith("HTTP/1.1 404");
      }
      assertThat(receiver.texts()).isEmpty();
    }
  }

  @Test
  void requestsOfOneConnectionAreAnsweredInTheirOrder() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "http", "0/in")) {
      StringBuilder requests = new StringBuilder();
      StringBuilder expected = new StringBuilder();
      for (int i = 1; i <= 200; i++) {
        int lines = i % 7;
        String close = i == 200 ? "Connection: close\r\n" : "";
        requests
            .append("POST /" + (i % 5 == 0 ? "out" : "in") + " HTTP/1.1\r\nHost: x\r\n" + close)
            .append("Content-Length: " + lines * 2 + "\r\n\r\n" + "x\n".repeat(lines));
        expected.append(i % 5 == 0 ? "404 " : "taken:" + lines + " ");
      }
      String answers = raw(receiver, requests.toString());

      StringBuilder got = new StringBuilder();
      java.util.regex.Matcher matcher =
          java.util.regex.Pattern.compile("\"taken\":(\\d)|\"status\":(404)").matcher(answers);
      while (matcher.find()) {
        got.append(matcher.group(1) == null ? "404 " : "taken:" + matcher.group(1) + " ");
      }
      assertThat(got.toString()).isEqualTo(expected.toString());
    }
  }

  @Test
  void settingsAreChecked() {
    assertThat(Receiver.mistakes(folder, "http", "8400/in", "queue", "q")).isEmpty();
    assertThat(Receiver.mistakes(folder, "http", "*:8400/in", "access", "open"))
        .containsExactly("open-door: whoever reaches *:8400 may send records");
    assertThat(Receiver.mistakes(folder, "http", "*:8400/in"))
        .containsExactly("open-door: tokens and records can be read on their way to *:8400");
    assertThat(
            Receiver.mistakes(
                folder,
                "http",
                "99999/in",
                "queue",
                "qq",
                "body",
                "xml",
                "most",
                "much",
                "behind",
                "far",
                "repeats",
                "30d",
                "access",
                "all",
                "headers",
                "a b",
                "strict",
                "maybe"))
        .containsExactlyInAnyOrder(
            "unknown-queue: there is no queue 'qq'",
            "bad-value: 'far' is not a number of records",
            "bad-value: 'all' is not token or open",
            "bad-address: '99999/in' is not an address to listen at".replace("/in", ""),
            "bad-value: 'xml' is not one of type, lines, json, csv, whole",
            "bad-value: 'maybe' is not true or false",
            "bad-value: 'a b' is not the name of a header field",
            "bad-value: 'much' is not a size up to 256MB",
            "bad-value: '30d' is not a time up to 7d");
    assertThat(Receiver.mistakes(folder, "http", "8400/in{", "tls", Map.of("certificate", "x.pem")))
        .containsExactly(
            "missing-key: tls needs 'key', a PEM file",
            "bad-value: '/in{' is not a path, such as /gates/{gate}");
    assertThat(
            Receiver.mistakes(
                folder, "http", "8400", "tls", Map.of("certificate", "x.pem", "key", "y.pem")))
        .hasSize(1)
        .allMatch(text -> text.startsWith("bad-certificate: there is no file "));
  }
}
