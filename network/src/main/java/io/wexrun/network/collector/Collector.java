package io.wexrun.network.collector;

import io.netty.handler.codec.http.QueryStringDecoder;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Doors;
import io.wexrun.network.http.Answer;
import io.wexrun.network.http.HttpServer;
import io.wexrun.network.http.RefusedException;
import io.wexrun.network.http.Request;
import io.wexrun.network.http.Route;
import io.wexrun.network.http.Unpacked;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.UUID;
import java.util.concurrent.CompletableFuture;
import java.util.function.Consumer;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/**
 * A receiver of rows: JSON objects in lines or in an array (also inside an object), or lines of
 * CSV, posted to {@code /TABLE}. It stands for a service that one has not, or does not want to
 * trouble. For several threads.
 *
 * <p>It answers {@code 200 {"taken": N}}; with rows that it refuses, {@code {"taken": N, "records":
 * [{"record": NUMBER, "detail": TEXT}, ...]}}, numbers from 1. If it confirms later, it answers 202
 * with {@code Location: /posts/ID}, where GET is answered 202 until the rows are safe, and then
 * 204. Tokens are given at {@code /token}.
 */
public final class Collector implements AutoCloseable {
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final int ACCEPTED = 202;
  private static final int NO_CONTENT = 204;
  private static final int LONGEST_NAME = 100;
  private static final int MOST_KNOWN = 100_000;
  private static final long SEED = 20260501;

  private final Manners manners;
  private final Consumer<Taken> told;
  private final Doors doors = Doors.own();
  private final HttpServer server;
  private final SplittableRandom dice = new SplittableRandom(SEED);
  private final Map<String, Answer> known = new LinkedHashMap<>();
  private final Map<String, Instant> unconfirmed = new LinkedHashMap<>();
  private final String granted = UUID.randomUUID().toString();

  /**
   * What became of a post.
   *
   * @param table to which it came
   * @param id its idempotency key; empty if it has none
   * @param status of the answer
   * @param rows those that were taken, as texts; empty if it was a repeat
   * @param refused how many were not taken
   * @param repeated whether it had come before
   */
  public record Taken(
      String table, String id, int status, List<String> rows, int refused, boolean repeated) {}

  /** Serves requests of one kind. */
  private record Serving(java.util.function.Function<Request, Answer> how, int most)
      implements Route.Taker {
    @Override
    public Optional<Answer> refuse(Request head, Optional<Long> length) {
      return Optional.empty();
    }

    @Override
    public CompletableFuture<Answer> take(Request request) {
      return CompletableFuture.completedFuture(how.apply(request));
    }
  }

  /**
   * Begins to listen.
   *
   * @param told of each post, before it is answered
   * @throws io.wexrun.core.diagnose.OutsideException if the address cannot be listened at
   */
  public Collector(Address address, Manners manners, Consumer<Taken> told) {
    this.manners = manners;
    this.told = told;
    this.server = new HttpServer(doors, address, Optional.empty());
    server.add(new Route("/token", new Serving(this::grant, MOST_KNOWN)));
    server.add(new Route("GET", "/posts/{id}", new Serving(this::confirm, MOST_KNOWN)));
    server.add(new Route("/{table}", new Serving(this::post, manners.most())));
  }

  /** The port that it listens at. */
  public int port() {
    return server.port();
  }

  private Answer grant(Request request) {
    String form = new String(request.body(), StandardCharsets.UTF_8);
    List<String> type =
        new QueryStringDecoder(form, false).parameters().getOrDefault("grant_type", List.of());
    String shown = request.header("authorization").orElse("");
    String expected =
        manners.client().map(c -> Base64.getEncoder().encodeToString(c.getBytes())).orElse("");
    if (!type.equals(List.of("client_credentials")) || !shown.equals("Basic " + expected)) {
      return Answer.json(Answer.UNKNOWN, Map.of("error", "invalid_client"));
    }
    return Answer.json(
        Answer.OK, Map.of("access_token", granted, "token_type", "bearer", "expires_in", 3600));
  }

  private boolean mayCome(Request request) {
    String shown = request.header("authorization").orElse("");
    boolean free = manners.token().isEmpty() && manners.client().isEmpty();
    return free
        || manners.token().filter(token -> shown.equals("Bearer " + token)).isPresent()
        || manners.client().isPresent() && shown.equals("Bearer " + granted);
  }

  private synchronized Answer confirm(Request request) {
    Instant safe = unconfirmed.get(request.values().get("id"));
    if (!mayCome(request)) {
      return Answer.problem(Answer.UNKNOWN, "send it with Authorization: Bearer TOKEN");
    }
    if (safe == null) {
      return Answer.problem(Answer.NOT_FOUND, "there is no such post");
    }
    boolean yet = Instant.now().isBefore(safe);
    return Answer.json(yet ? ACCEPTED : NO_CONTENT, Map.of());
  }

  private synchronized Answer post(Request request) {
    String table = request.values().get("table");
    if (table.length() > LONGEST_NAME) {
      return Answer.problem(
          Answer.BAD, "a table's name has at most " + LONGEST_NAME + " characters");
    }
    String id = request.header("idempotency-key").orElse("").replaceAll("^\"|\"$", "");
    if (!mayCome(request)) {
      return tell(
          table, id, Answer.problem(Answer.UNKNOWN, "send it with Authorization: Bearer TOKEN"));
    }
    Answer before = manners.repeats() && !id.isEmpty() ? known.get(table + " " + id) : null;
    if (before != null) {
      told.accept(new Taken(table, id, before.status(), List.of(), 0, true));
      return before;
    }
    if (dice.nextDouble() < manners.busy()) {
      return tell(
          table,
          id,
          Answer.problem(Answer.UNAVAILABLE, "it is busy, as it was told to be")
              .with("retry-after", "1"));
    }
    List<String> rows;
    try {
      String encoding = request.header("content-encoding").orElse("");
      byte[] plain = Unpacked.of(request.body(), encoding, manners.most());
      rows = rows(plain, request.header("content-type").orElse(""));
    } catch (RefusedException e) {
      return tell(table, id, e.answer());
    }
    return took(table, id, rows);
  }

  private Answer tell(String table, String id, Answer answer) {
    told.accept(new Taken(table, id, answer.status(), List.of(), 0, false));
    return answer;
  }

  private Answer took(String table, String id, List<String> rows) {
    List<String> taken = new ArrayList<>();
    List<Map<String, Object>> refused = new ArrayList<>();
    for (int i = 0; i < rows.size(); i++) {
      String row = rows.get(i);
      if (manners.refused().filter(pattern -> pattern.matcher(row).find()).isPresent()) {
        refused.add(
            Map.of("record", i + 1, "detail", "has a text in it that is refused, as it was told"));
      } else {
        taken.add(row);
      }
    }
    if (manners.whole() && !refused.isEmpty()) {
      told.accept(new Taken(table, id, Answer.WRONG, List.of(), rows.size(), false));
      return Answer.problem(Answer.WRONG, "a row is refused, and so are all with it");
    }
    Answer answer =
        Answer.json(
            manners.confirms().isPresent() ? ACCEPTED : Answer.OK,
            refused.isEmpty()
                ? Map.of("taken", taken.size())
                : Map.of("taken", taken.size(), "records", refused));
    if (manners.confirms().isPresent()) {
      String post = UUID.randomUUID().toString();
      unconfirmed.put(post, Instant.now().plus(manners.confirms().get()));
      bound(unconfirmed);
      answer = answer.with("location", "/posts/" + post);
    }
    known.put(table + " " + id, answer);
    bound(known);
    told.accept(new Taken(table, id, answer.status(), taken, refused.size(), false));
    return dice.nextDouble() < manners.lost()
        ? Answer.problem(Answer.UNAVAILABLE, "what was taken is not told, as it was told")
        : answer;
  }

  private static void bound(Map<String, ?> map) {
    if (map.size() > MOST_KNOWN) {
      map.remove(map.keySet().iterator().next());
    }
  }

  private static List<String> rows(byte[] body, String type) throws RefusedException {
    String text = new String(body, StandardCharsets.UTF_8);
    try {
      if (type.startsWith("application/x-ndjson")) {
        return text.lines().filter(line -> !line.isBlank()).toList();
      } else if (type.startsWith("text/csv")) {
        return csv(text);
      }
      JsonNode json = JSON.readTree(text);
      List<String> rows = new ArrayList<>();
      array(json).forEach(row -> rows.add(row.toString()));
      return rows;
    } catch (JacksonException e) {
      throw new RefusedException(Answer.problem(Answer.BAD, "the body is not JSON"));
    }
  }

  /** The array that a document is, or the first one inside it. */
  private static JsonNode array(JsonNode json) {
    if (json.isArray()) {
      return json;
    }
    for (JsonNode inside : json) {
      JsonNode found = inside.isContainer() ? array(inside) : JSON.missingNode();
      if (found.isArray()) {
        return found;
      }
    }
    return JSON.missingNode();
  }

  /** Lines without the header; quoted values may have line breaks in them. */
  private static List<String> csv(String text) {
    List<String> rows = new ArrayList<>();
    boolean quoted = false;
    int from = 0;
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      quoted ^= c == '"';
      if (c == '\n' && !quoted) {
        rows.add(text.substring(from, i));
        from = i + 1;
      }
    }
    return rows.isEmpty() ? rows : rows.subList(1, rows.size());
  }

  /** Listens no more. */
  @Override
  public void close() {
    server.close();
    doors.close();
  }
}
