package io.wexrun.network.delivery;

import io.netty.handler.ssl.JdkSslContext;
import io.netty.handler.ssl.SslContextBuilder;
import io.netty.handler.ssl.SslProvider;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Shown;
import io.wexrun.core.secret.Secret;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.net.ConnectException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpTimeoutException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.format.DateTimeFormatter;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.zip.GZIPOutputStream;
import javax.net.ssl.SSLContext;
import tools.jackson.core.JacksonException;
import tools.jackson.core.JsonPointer;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/** Posts rows, and reads what is answered. For several threads. */
final class Courier {
  private static final Duration CONNECTING = Duration.ofSeconds(10);
  private static final int LONGEST_ANSWER = 4 << 20;
  private static final int LONGEST_WHY = 300;
  private static final Duration EARLY = Duration.ofSeconds(30);
  private static final Duration USUAL_LIFE = Duration.ofMinutes(5);
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final int UNAUTHORIZED = 401;
  private static final int TOO_LARGE = 413;

  private final DeliverySettings settings;
  private final Path folder;
  private final HttpClient client;
  private String granted = "";
  private Instant grantedUntil = Instant.MIN;

  /** An answer, of which only so much was read as one should have. */
  private record Answer(int status, java.net.http.HttpHeaders headers, byte[] body) {
    JsonNode json() {
      try {
        return JSON.readTree(body);
      } catch (JacksonException e) {
        return JSON.missingNode();
      }
    }
  }

  /** What is said of a post whose rows were taken. */
  enum Confirmation {
    SAFE,
    NOT_YET,
    LOST
  }

  /**
   * One who posts.
   *
   * @param folder the workspace's
   * @throws OutsideException if certificates cannot be used
   */
  Courier(DeliverySettings settings, Path folder) {
    this.settings = settings;
    this.folder = folder;
    boolean encrypted = settings.address().toLowerCase(java.util.Locale.ROOT).startsWith("https:");
    HttpClient.Builder builder =
        HttpClient.newBuilder()
            .connectTimeout(CONNECTING)
            .followRedirects(HttpClient.Redirect.NEVER)
            // Without encryption nobody can say which version the other side speaks.
            .version(encrypted ? HttpClient.Version.HTTP_2 : HttpClient.Version.HTTP_1_1);
    settings.tls().ifPresent(tls -> builder.sslContext(context(tls, folder)));
    this.client = builder.build();
  }

  private static SSLContext context(DeliverySettings.Tls tls, Path folder) {
    try {
      SslContextBuilder builder = SslContextBuilder.forClient().sslProvider(SslProvider.JDK);
      tls.authorities().ifPresent(file -> builder.trustManager(folder.resolve(file).toFile()));
      tls.certificate()
          .ifPresent(
              file ->
                  builder.keyManager(
                      folder.resolve(file).toFile(),
                      folder.resolve(tls.key().orElseThrow()).toFile()));
      return ((JdkSslContext) builder.build()).context();
    } catch (IOException | IllegalArgumentException e) {
      Throwable cause = e.getCause() == null ? e : e.getCause();
      throw OutsideException.lasting(
          "the certificates under 'tls' cannot be used: " + cause.getMessage());
    }
  }

  /** The address for a table. */
  URI address(String table) {
    return URI.create(settings.address().replace("{table}", encoded(table)));
  }

  private static String encoded(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8).replace("+", "%20");
  }

  /**
   * Posts rows.
   *
   * @param facts what an envelope says of them
   */
  Verdict post(Body body, Post post, Body.Facts facts) {
    return post(
        address(facts.table()),
        facts.id(),
        body.form().type(),
        settings.gzip() ? "gzip" : "",
        content(body, post, facts).bytes(),
        post.rows());
  }

  /** The body of a request with rows, compressed if settings say so. */
  Undelivered.Content content(Body body, Post post, Body.Facts facts) {
    byte[] before = body.before(facts).getBytes(StandardCharsets.UTF_8);
    byte[] after = body.after(facts).getBytes(StandardCharsets.UTF_8);
    ByteArrayOutputStream bytes =
        new ByteArrayOutputStream(post.text().length + before.length + after.length);
    try (OutputStream out = settings.gzip() ? new GZIPOutputStream(bytes, 64 << 10) : bytes) {
      out.write(before);
      out.write(post.text());
      out.write(after);
    } catch (IOException e) {
      throw new IllegalStateException(e); // It is written into memory.
    }
    return new Undelivered.Content(
        post, body.form(), settings.gzip(), bytes.toByteArray(), before.length, after.length);
  }

  /**
   * Posts a body that is ready.
   *
   * @param encoding how it is compressed; empty if it is not
   * @param rows how many rows it has
   */
  Verdict post(URI address, String id, String type, String encoding, byte[] body, int rows) {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(address)
            .timeout(settings.timeout())
            .header("content-type", type)
            .header("idempotency-key", '"' + id + '"')
            .POST(HttpRequest.BodyPublishers.ofByteArray(body));
    if (!encoding.isEmpty()) {
      request.header("content-encoding", encoding);
    }
    settings
        .headers()
        .forEach(
            (n, value) -> request.header(n, sendable(Secret.of(value, folder), "header " + n)));
    try {
      Answer answer = sent(request);
      return verdict(answer, id, rows);
    } catch (IOException e) {
      return new Verdict.Later(unreachable(address, e), Optional.empty());
    }
  }

  private static String unreachable(URI address, IOException e) {
    String where = address.getScheme() + "://" + address.getRawAuthority();
    if (e instanceof ConnectException) {
      return "nobody listens at " + where;
    }
    if (e instanceof HttpTimeoutException) {
      return where + " does not answer in time";
    }
    return "the connection to "
        + where
        + " failed: "
        + (e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage());
  }

  /**
   * Sends a request with a login; with a new one, if the one that was kept is not known any more.
   */
  private Answer sent(HttpRequest.Builder request) throws IOException {
    Optional<Map.Entry<String, String>> login = login();
    login.ifPresent(header -> request.setHeader(header.getKey(), header.getValue()));
    Answer answer = send(request.build());
    boolean renews = settings.login().filter(l -> l.kind().equals("client")).isPresent();
    if (answer.status() == UNAUTHORIZED && renews) {
      synchronized (this) {
        grantedUntil = Instant.MIN;
      }
      login().ifPresent(header -> request.setHeader(header.getKey(), header.getValue()));
      return send(request.build());
    }
    return answer;
  }

  /** Sends a request, and waits for the end of its answer, of which only the beginning is kept. */
  private Answer send(HttpRequest request) throws IOException {
    ByteArrayOutputStream body = new ByteArrayOutputStream();
    CompletableFuture<HttpResponse<Void>> answering =
        client.sendAsync(
            request,
            HttpResponse.BodyHandlers.ofByteArrayConsumer(
                part -> part.ifPresent(p -> keep(p, body))));
    try {
      HttpResponse<Void> answer =
          answering.get(settings.timeout().toMillis(), TimeUnit.MILLISECONDS);
      return new Answer(answer.statusCode(), answer.headers(), body.toByteArray());
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io ? io : new IOException(e.getCause());
    } catch (TimeoutException e) {
      throw new HttpTimeoutException("its answer does not end");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("it was interrupted", e);
    } finally {
      answering.cancel(true);
    }
  }

  private static void keep(byte[] part, ByteArrayOutputStream body) {
    body.write(part, 0, Math.min(part.length, LONGEST_ANSWER - body.size()));
  }

  private Optional<Map.Entry<String, String>> login() throws IOException {
    if (settings.login().isEmpty()) {
      return Optional.empty();
    }
    DeliverySettings.Login login = settings.login().get();
    return Optional.of(
        switch (login.kind()) {
          case "token" -> Map.entry("authorization", "Bearer " + secret(login, "token"));
          case "user" ->
              Map.entry(
                  "authorization",
                  "Basic " + base64(secret(login, "user") + ":" + secret(login, "password")));
          case "header" -> Map.entry(login.values().get("header"), secret(login, "value"));
          default -> Map.entry("authorization", "Bearer " + grant(login));
        });
  }

  private String secret(DeliverySettings.Login login, String key) {
    return sendable(Secret.of(login.values().get(key), folder), "the " + key + " of the login");
  }

  /** Header fields have one line; and what cannot be sent is not told, since it may be a secret. */
  private static String sendable(String value, String what) {
    if (value.chars().anyMatch(c -> c < 0x20 || c == 0x7f || c > 0xff)) {
      throw OutsideException.lasting(what + " has characters that cannot be sent in a header");
    }
    return value;
  }

  private static String base64(String text) {
    return Base64.getEncoder().encodeToString(text.getBytes(StandardCharsets.UTF_8));
  }

  /** A token by client credentials, as RFC 6749, section 4.4 says. */
  private synchronized String grant(DeliverySettings.Login login) throws IOException {
    if (Instant.now().isBefore(grantedUntil)) {
      return granted;
    }
    URI at = URI.create(login.values().get("at"));
    String scope = login.values().get("scope");
    String form =
        "grant_type=client_credentials" + (scope == null ? "" : "&scope=" + encoded(scope));
    HttpRequest request =
        HttpRequest.newBuilder(at)
            .timeout(settings.timeout())
            .header("content-type", "application/x-www-form-urlencoded")
            .header("accept", "application/json")
            .header(
                "authorization",
                "Basic "
                    + base64(
                        encoded(secret(login, "client")) + ":" + encoded(secret(login, "secret"))))
            .POST(HttpRequest.BodyPublishers.ofString(form))
            .build();
    Answer answer = send(request);
    String token = answer.json().path("access_token").asString("");
    if (answer.status() != 200 || token.isEmpty()) {
      throw new IOException("the login at " + at + " gave no token: " + told(answer));
    }
    long seconds = answer.json().path("expires_in").asLong(USUAL_LIFE.toSeconds());
    Shown.hide(token);
    granted = token;
    grantedUntil = Instant.now().plusSeconds(Math.max(0, seconds - EARLY.toSeconds()));
    return granted;
  }

  private Verdict verdict(Answer answer, String id, int rows) {
    int status = answer.status();
    Optional<String> unknown = namedWrongly(answer, rows);
    if (unknown.isPresent()) {
      return new Verdict.Later(unknown.get(), Optional.empty());
    }
    if (status >= 200 && status < 300) {
      return new Verdict.Taken(named(answer, rows), unconfirmed(answer, id));
    }
    String why = told(answer);
    if (status == TOO_LARGE) {
      return new Verdict.TooLarge(why);
    }
    return switch (status) {
      case 401, 403 ->
          new Verdict.Later(why + ". See whether its login is right", Optional.empty());
      case 404, 405, 407, 410, 421 ->
          new Verdict.Later(why + ". See whether the address is right", Optional.empty());
      case 406, 411, 415 ->
          new Verdict.Later(
              why + ". See whether 'body' and 'headers' are what it takes", Optional.empty());
      case 408, 409, 423, 425, 429 -> new Verdict.Later(why, after(answer));
      default ->
          status >= 400 && status < 500
              ? new Verdict.Refused(named(answer, rows), why)
              : new Verdict.Later(why + moved(answer), after(answer));
    };
  }

  private static String moved(Answer answer) {
    return answer.status() < 400
        ? ". Rows are not sent on to "
            + answer.headers().firstValue("location").orElse("another address")
            + ": write the new address, if it is right"
        : "";
  }

  /** What an answer says, for people: its status, and the detail of a problem document. */
  private static String told(Answer answer) {
    JsonNode json = answer.json();
    String detail =
        json.path("detail").asString(json.path("title").asString(json.path("error").asString("")));
    if (detail.isEmpty()) {
      detail = new String(answer.body(), StandardCharsets.UTF_8);
    }
    detail = detail.replaceAll("[\\p{Cntrl}\\s]+", " ").strip();
    if (detail.length() > LONGEST_WHY) {
      detail = detail.substring(0, LONGEST_WHY) + "...";
    }
    return "the answer was " + answer.status() + (detail.isEmpty() ? "" : ": " + detail);
  }

  /** How long one is asked to wait: seconds or a date (RFC 9110, section 10.2.3). */
  private static Optional<Duration> after(Answer answer) {
    String written = answer.headers().firstValue("retry-after").orElse("").strip();
    if (written.matches("[0-9]{1,9}")) {
      return Optional.of(Duration.ofSeconds(Long.parseLong(written)));
    }
    try {
      Instant at = Instant.from(DateTimeFormatter.RFC_1123_DATE_TIME.parse(written));
      Duration wait = Duration.between(Instant.now(), at);
      return wait.isNegative() ? Optional.empty() : Optional.of(wait);
    } catch (DateTimeException e) {
      return Optional.empty();
    }
  }

  /** The rows that an answer names, from 0, with why. */
  private Map<Integer, String> named(Answer answer, int rows) {
    JsonNode json = answer.json();
    Map<Integer, String> named = new LinkedHashMap<>();
    if (settings.naming().isPresent()) {
      DeliverySettings.Naming naming = settings.naming().get();
      for (JsonNode item : json.at(naming.list())) {
        JsonNode why = naming.why().map(item::at).orElse(item);
        name(item.at(naming.row()), naming.first(), text(why), rows, named);
      }
      return named;
    }
    name(json.path("record"), 1, json.path("detail").asString(""), rows, named);
    for (JsonNode item : json.path("records")) {
      name(item.path("record"), 1, item.path("detail").asString(""), rows, named);
    }
    return named;
  }

  /** An answer that names rows in another way than settings say: nobody knows which are meant. */
  private Optional<String> namedWrongly(Answer answer, int rows) {
    if (settings.naming().isEmpty()) {
      return Optional.empty();
    }
    DeliverySettings.Naming naming = settings.naming().get();
    for (JsonNode item : answer.json().at(naming.list())) {
      Map<Integer, String> one = new LinkedHashMap<>();
      name(item.at(naming.row()), naming.first(), "", rows, one);
      if (one.isEmpty()) {
        return Optional.of(
            "the answer was "
                + answer.status()
                + " and names a row that was not among the "
                + rows
                + " sent: "
                + text(item)
                + ". See whether 'refusals' is right");
      }
    }
    return Optional.empty();
  }

  private static String text(JsonNode why) {
    String text = why.isString() ? why.asString() : why.toString();
    return text.length() > LONGEST_WHY ? text.substring(0, LONGEST_WHY) + "..." : text;
  }

  private static void name(
      JsonNode number, int first, String why, int rows, Map<Integer, String> named) {
    boolean whole =
        number.isIntegralNumber() || number.isString() && number.asString().matches("[0-9]{1,9}");
    long row = whole ? number.asLong() - first : -1;
    if (row >= 0 && row < rows) {
      named.put((int) row, why.isEmpty() ? "the receiver refused the row" : why);
    }
  }

  /** Where it is asked whether rows that were taken are safe. */
  private Optional<String> unconfirmed(Answer answer, String id) {
    return settings
        .confirming()
        .flatMap(
            confirming -> {
              if (confirming.at().isEmpty()) {
                return answer.headers().firstValue("location");
              }
              String given = confirming.id().map(p -> given(answer, p)).orElse(id);
              return Optional.of(confirming.at().get().replace("{id}", encoded(given)));
            });
  }

  private static String given(Answer answer, JsonPointer pointer) {
    return answer.json().at(pointer).asString("");
  }

  /**
   * Asks whether rows are safe.
   *
   * @param where as the verdict said; relative to the table's address
   * @throws IOException if nobody answers
   */
  Confirmation ask(String where, String table) throws IOException {
    URI at;
    try {
      at = address(table).resolve(where);
    } catch (IllegalArgumentException e) {
      throw new IOException("'" + where + "' is not an address to ask at", e);
    }
    if (!at.getRawAuthority().equals(address(table).getRawAuthority())
        && settings.confirming().flatMap(DeliverySettings.Confirming::at).isEmpty()) {
      throw new IOException("a Location at another host is not asked: " + at);
    }
    Answer answer = sent(HttpRequest.newBuilder(at).timeout(settings.timeout()).GET());
    return switch (answer.status()) {
      case 200, 204 -> Confirmation.SAFE;
      case 409, 410 -> Confirmation.LOST;
      case 202, 404, 408, 425, 429, 500, 502, 503, 504 -> Confirmation.NOT_YET;
      default -> throw new IOException("asked at " + at + ", " + told(answer));
    };
  }
}
