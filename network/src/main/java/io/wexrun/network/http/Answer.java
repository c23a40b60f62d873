package io.wexrun.network.http;

import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import tools.jackson.databind.json.JsonMapper;

/**
 * What a request is answered with.
 *
 * @param status of HTTP (RFC 9110)
 * @param headers beside those of the body
 * @param type the body's media type
 * @param trailers fields behind the body, of HTTP/2
 */
public record Answer(
    int status,
    Map<String, String> headers,
    String type,
    byte[] body,
    Map<String, String> trailers) {
  /** Statuses, as RFC 9110 and RFC 6585 number them. */
  public static final int OK = 200;

  public static final int BAD = 400;
  public static final int UNKNOWN = 401;
  public static final int FORBIDDEN = 403;
  public static final int NOT_FOUND = 404;
  static final int NOT_ALLOWED = 405;
  static final int LATE = 408;
  public static final int TOO_LARGE = 413;
  public static final int NO_SUCH_FORM = 415;
  public static final int WRONG = 422;
  public static final int TOO_MANY = 429;
  public static final int UNAVAILABLE = 503;

  private static final String PROBLEM = "application/problem+json";

  /** An answer without trailers. */
  public Answer(int status, Map<String, String> headers, String type, byte[] body) {
    this(status, headers, type, body, Map.of());
  }

  private static final JsonMapper JSON = new JsonMapper();

  private static final Map<Integer, String> TITLES =
      Map.ofEntries(
          Map.entry(BAD, "the request cannot be read"),
          Map.entry(UNKNOWN, "a token is needed"),
          Map.entry(FORBIDDEN, "this is not allowed"),
          Map.entry(NOT_FOUND, "nothing is received here"),
          Map.entry(NOT_ALLOWED, "this method is not served here"),
          Map.entry(LATE, "the request did not end in time"),
          Map.entry(TOO_LARGE, "too large"),
          Map.entry(NO_SUCH_FORM, "this form of body is not received"),
          Map.entry(WRONG, "a record is wrong"),
          Map.entry(TOO_MANY, "too much at once"),
          Map.entry(UNAVAILABLE, "it cannot be stored now"));

  /** To who sends while nothing can be accounted for. */
  public static Answer shut() {
    return problem(UNAVAILABLE, "what comes cannot be accounted for now: send it again later")
        .with("retry-after", "5");
  }

  /** What was taken. */
  static Answer taken(long records, boolean repeated) {
    String facts = "{\"taken\":" + records + (repeated ? ",\"repeated\":true}" : "}");
    return new Answer(OK, Map.of(), "application/json", facts.getBytes(StandardCharsets.US_ASCII));
  }

  /** Facts in JSON. */
  public static Answer json(int status, Map<String, ?> facts) {
    return new Answer(status, Map.of(), "application/json", JSON.writeValueAsBytes(facts));
  }

  /** What is wrong, as a problem document (RFC 9457). */
  public static Answer problem(int status, String detail) {
    return problem(status, detail, Map.of());
  }

  /**
   * What is wrong with one of the records.
   *
   * @param record its number in the request, from 1
   */
  static Answer problem(int status, String detail, int record) {
    return problem(status, detail, Map.of("record", record));
  }

  /**
   * What is wrong, with more facts.
   *
   * @param more members of the document beside the usual ones
   */
  public static Answer problem(int status, String detail, Map<String, ?> more) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("title", TITLES.getOrDefault(status, "the request failed"));
    facts.put("status", status);
    facts.put("detail", detail);
    facts.putAll(more);
    return new Answer(status, Map.of(), PROBLEM, JSON.writeValueAsBytes(facts));
  }

  /** What a problem document says of what is wrong; empty of another answer. */
  public String detail() {
    return type.equals(PROBLEM) ? JSON.readTree(body).path("detail").asString("") : "";
  }

  /** This answer with one more header. */
  public Answer with(String name, String value) {
    Map<String, String> all = new LinkedHashMap<>(headers);
    all.put(name, value);
    return new Answer(status, all, type, body, trailers);
  }

  /** This answer to one who asked only for the head of it. */
  Answer withoutBody() {
    return new Answer(status, headers, type, new byte[0], trailers);
  }
}
