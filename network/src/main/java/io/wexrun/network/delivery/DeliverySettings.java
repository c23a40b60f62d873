package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.written.Form;
import java.net.URI;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import tools.jackson.core.JsonPointer;

/**
 * How rows are delivered to one receiver.
 *
 * @param address where they are posted to; {@code {table}} stands for the table's name
 * @param row how a row looks in JSON; an object of all columns if it is not said
 * @param envelope what stands around the rows
 * @param mostRows of a post
 * @param mostBytes of the rows of a post
 * @param parallel how many posts of a flush may be under way at once
 * @param timeout how long an answer may take
 * @param longestWait how long a receiver may ask to be left alone
 */
record DeliverySettings(
    String address,
    Body.Form form,
    Optional<Template> row,
    Optional<Template> envelope,
    int mostRows,
    long mostBytes,
    int parallel,
    boolean gzip,
    Map<String, String> headers,
    Optional<Login> login,
    Optional<Tls> tls,
    Duration timeout,
    Duration longestWait,
    Optional<Naming> naming,
    Optional<Confirming> confirming,
    Optional<Aside> aside) {
  static final String KIND = "http";

  private static final String BODY = "body";
  private static final String ROW = "row";
  private static final String ENVELOPE = "envelope";
  private static final String BATCH = "batch";
  private static final String PARALLEL = "parallel";
  private static final String COMPRESS = "compress";
  private static final String HEADERS = "headers";
  private static final String LOGIN = "login";
  private static final String TLS = "tls";
  private static final String TIMEOUT = "timeout";
  private static final String LONGEST_WAIT = "longest_wait";
  private static final String REFUSALS = "refusals";
  private static final String CONFIRM = "confirm";
  private static final String UNDELIVERED = "undelivered";

  private static final int MOST_ROWS = 100_000;
  private static final long MOST_BYTES = 64L << 20;
  private static final int MOST_PARALLEL = 32;
  private static final String HEADER_NAME = "[A-Za-z0-9!#$%&'*+.^_`|~-]+";

  /** Headers that are made here. */
  private static final List<String> OWN_HEADERS =
      List.of("content-type", "content-encoding", "content-length", "idempotency-key", "host");

  /**
   * Who posts; texts that may say where a secret is.
   *
   * @param kind {@code token}, {@code user}, {@code client} or {@code header}
   * @param values the written ones
   */
  record Login(String kind, Map<String, String> values) {}

  /**
   * How the connection is encrypted; names of PEM files.
   *
   * @param authorities certificates that sign the other side's
   * @param certificate of this side, with its key
   */
  record Tls(Optional<String> authorities, Optional<String> certificate, Optional<String> key) {}

  /**
   * How an answer names rows that are refused.
   *
   * @param list where their list stands in the answer
   * @param row where in an item the number of the row stands
   * @param why where in an item the reason stands
   * @param first the number of the first row
   */
  record Naming(JsonPointer list, JsonPointer row, Optional<JsonPointer> why, int first) {}

  /**
   * How it is learned that rows which were taken are safe.
   *
   * @param at the address to ask; {@code {id}} stands for the id of the post; empty if the answer
   *     to the post says it in {@code Location}
   * @param id where in the answer to a post its id stands; its idempotency key if it is not said
   * @param every how often it is asked
   * @param within after which time the rows are sent again
   */
  record Confirming(
      Optional<String> at, Optional<JsonPointer> id, Duration every, Duration within) {}

  /**
   * What becomes of posts that fail for long.
   *
   * @param after for how long they must have failed
   * @param folder where they are put; starts from the workspace's folder
   */
  record Aside(Duration after, String folder) {}

  /** Takes mistakes. */
  @FunctionalInterface
  interface Mistakes {
    void add(KeyPath path, String what, String hint);
  }

  static Map<String, Form> forms() {
    Form secret = Form.text().about("a text that may hold ${env:NAME}, ${file:..}, ${command:..}");
    return Form.with(
        KIND,
        Form.text().about("the address that rows are posted to; {table} is the table's name"),
        BODY,
        Form.word(Stream.of(Body.Form.values()).map(Body.Form::toString).toArray(String[]::new)),
        ROW,
        Form.any().about("how a row looks in JSON, with {column} for values and {row} for all"),
        ENVELOPE,
        Form.any().about("what stands around the rows: {rows}, {count}, {id}, {table}, {pipeline}"),
        BATCH,
        Form.keys(Form.with("rows", Form.text(), "size", Form.text()))
            .about("how large one post may be; 5000 rows, 4MB"),
        PARALLEL,
        Form.text().about("how many posts may be under way at once; 2"),
        COMPRESS,
        Form.word("none", "gzip"),
        HEADERS,
        Form.map(Form.text()),
        LOGIN,
        Form.keys(
            Form.with(
                "token",
                secret,
                "user",
                secret,
                "password",
                secret,
                "client",
                secret,
                "secret",
                secret,
                "at",
                Form.text(),
                "scope",
                Form.text(),
                "header",
                Form.text(),
                "value",
                secret)),
        TLS,
        Form.keys(
                Form.with(
                    "authorities", Form.text(), "certificate", Form.text(), "key", Form.text()))
            .about("PEM files"),
        TIMEOUT,
        Form.text().about("how long an answer may take; 30s"),
        LONGEST_WAIT,
        Form.text().about("how long a Retry-After is honoured at most; 15m"),
        REFUSALS,
        Form.keys(
                Form.with(
                    "list",
                    Form.text(),
                    "row",
                    Form.text(),
                    "why",
                    Form.text(),
                    "first",
                    Form.text()),
                "list")
            .about("how answers name refused rows: JSON pointers (RFC 6901)"),
        CONFIRM,
        Form.keys(
                Form.with(
                    "at",
                    Form.text(),
                    "id",
                    Form.text(),
                    "every",
                    Form.text(),
                    "within",
                    Form.text()))
            .about("where it is asked whether rows are safe: {id} stands in the address"),
        UNDELIVERED,
        Form.keys(Form.with("after", Form.text(), "to", Form.text()), "after")
            .about("when posts that fail are put aside, and into which folder"));
  }

  /**
   * Reads settings, as far as they can be read.
   *
   * @param mistakes is told what is wrong
   */
  static DeliverySettings read(Settings settings, KeyPath path, Mistakes mistakes) {
    Written all = new Written("an http store", settings.values(), path, mistakes);
    all.known(forms().keySet().stream().toList());
    String address = settings.main();
    if (!isAddress(address.replace("{table}", "t"))) {
      all.wrong(
          KIND, "'" + address + "' is not an address to post to", "such as https://HOST/PATH");
    }
    Body.Form form =
        all.of(BODY, "ndjson, array or csv", DeliverySettings::form).orElse(Body.Form.NDJSON);
    Optional<Template> row = template(all, ROW);
    Optional<Template> envelope = template(all, ENVELOPE);
    checkShape(all, form, row, envelope);
    Written batch = all.inside(BATCH, "a batch", "rows", "size");
    return new DeliverySettings(
        address,
        envelope.isPresent() ? Body.Form.ARRAY : form,
        row,
        envelope,
        batch.number("rows", 1, MOST_ROWS).orElse(5000),
        batch
            .of(
                "size",
                "a size up to " + Sizes.show(MOST_BYTES),
                t -> Sizes.bytes(t).filter(b -> b > 0 && b <= MOST_BYTES))
            .orElse(4L << 20),
        all.number(PARALLEL, 1, MOST_PARALLEL).orElse(2),
        all.of(COMPRESS, "gzip or none", t -> word(t, "gzip", "none")).orElse("").equals("gzip"),
        headers(all),
        login(all),
        tls(all),
        all.time(TIMEOUT).orElse(Duration.ofSeconds(30)),
        all.time(LONGEST_WAIT).orElse(Duration.ofMinutes(15)),
        naming(all),
        confirming(all),
        aside(all));
  }

  private static Optional<Body.Form> form(String word) {
    return Stream.of(Body.Form.values()).filter(f -> f.toString().equals(word)).findFirst();
  }

  private static Optional<String> word(String text, String... words) {
    return List.of(words).contains(text) ? Optional.of(text) : Optional.empty();
  }

  private static boolean isAddress(String text) {
    try {
      URI uri = URI.create(text);
      return uri.getHost() != null
          && uri.getUserInfo() == null
          && List.of("http", "https")
              .contains(String.valueOf(uri.getScheme()).toLowerCase(Locale.ROOT));
    } catch (IllegalArgumentException e) {
      return false;
    }
  }

  private static Optional<Template> template(Written all, String key) {
    return Optional.ofNullable(all.values().get(key)).map(Template::of);
  }

  private static void checkShape(
      Written all, Body.Form form, Optional<Template> row, Optional<Template> envelope) {
    if (form == Body.Form.CSV && row.isPresent()) {
      all.wrong(ROW, "rows of CSV are the table's columns", "remove it, or choose another body");
    }
    if (envelope.isEmpty()) {
      return;
    }
    if (form != Body.Form.ARRAY && all.values().containsKey(BODY)) {
      all.wrong(ENVELOPE, "an envelope stands around an array of rows", "write body: array");
    }
    List<String> names =
        envelope.get().parts().stream()
            .filter(Template.Part.Place.class::isInstance)
            .map(part -> (Template.Part.Place) part)
            .map(place -> place.name() + (place.quoted() ? " in a text" : ""))
            .toList();
    if (names.stream().filter(Body.ROWS::equals).count() != 1) {
      all.wrong(
          ENVELOPE,
          "an envelope needs one place for the rows",
          "such as {sent: '{count}', events: '{rows}'}; in YAML a place stands in quotes");
    }
    for (Template.Part part : envelope.get().parts()) {
      if (part instanceof Template.Part.Place place
          && (!Body.FACTS.contains(place.name()) && !place.name().equals(Body.ROWS)
              || place.quoted() && place.name().equals(Body.ROWS))) {
        all.wrong(
            ENVELOPE,
            "an envelope has no place for '"
                + place.name()
                + "'"
                + (place.quoted() ? " in a text" : ""),
            "there are {rows}, {count}, {id}, {table} and {pipeline}");
      }
    }
  }

  private static Map<String, String> headers(Written all) {
    Map<String, String> headers = new LinkedHashMap<>();
    if (!(all.values().get(HEADERS) instanceof Map<?, ?> written)) {
      if (all.values().get(HEADERS) != null) {
        all.wrong(HEADERS, "headers are names with values", "such as {X-Line: tram}");
      }
      return headers;
    }
    written.forEach(
        (key, value) -> {
          String name = String.valueOf(key);
          if (!name.matches(HEADER_NAME) || OWN_HEADERS.contains(name.toLowerCase(Locale.ROOT))) {
            all.wrong(HEADERS, "'" + name + "' is not a header that can be set", "leave it out");
          } else {
            headers.put(name, String.valueOf(value));
          }
        });
    return headers;
  }

  private static Optional<Login> login(Written all) {
    if (!all.values().containsKey(LOGIN)) {
      return Optional.empty();
    }
    Map<String, List<String>> kinds =
        Map.of(
            "token", List.of("token"),
            "user", List.of("user", "password"),
            "client", List.of("client", "secret", "at", "scope"),
            "header", List.of("header", "value"));
    Written written = all.inside(LOGIN, "a login");
    List<String> found =
        kinds.keySet().stream().filter(written.values()::containsKey).sorted().toList();
    if (found.size() != 1) {
      all.wrong(
          LOGIN,
          "a login says one way to log in",
          "write {token: ..}, {user: .., password: ..}, {client: .., secret: .., at: ..} or"
              + " {header: .., value: ..}");
      return Optional.empty();
    }
    String kind = found.get(0);
    written.known(kinds.get(kind));
    Map<String, String> values = new LinkedHashMap<>();
    for (String key : kinds.get(kind)) {
      Optional<String> value = written.text(key);
      value.ifPresent(v -> values.put(key, v));
      if (value.isEmpty() && !key.equals("scope")) {
        written.wrong(kind, "a login by " + kind + " needs '" + key + "'", "add it");
      }
    }
    if (kind.equals("client") && !isAddress(values.getOrDefault("at", "http://h/"))) {
      written.wrong(
          "at", "'" + values.get("at") + "' is not an address", "such as https://HOST/token");
    }
    return Optional.of(new Login(kind, values));
  }

  private static Optional<Tls> tls(Written all) {
    if (!all.values().containsKey(TLS)) {
      return Optional.empty();
    }
    Written tls = all.inside(TLS, "tls", "authorities", "certificate", "key");
    if (tls.text("certificate").isPresent() != tls.text("key").isPresent()) {
      all.wrong(TLS, "a certificate needs its key, and a key its certificate", "name both");
    }
    return Optional.of(new Tls(tls.text("authorities"), tls.text("certificate"), tls.text("key")));
  }

  private static Optional<Naming> naming(Written all) {
    if (!all.values().containsKey(REFUSALS)) {
      return Optional.empty();
    }
    Written written = all.inside(REFUSALS, "refusals", "list", "row", "why", "first");
    Optional<JsonPointer> list = written.pointer("list");
    if (list.isEmpty()) {
      all.wrong(
          REFUSALS, "refusals need 'list', where rows are named in an answer", "such as /errors");
    }
    return Optional.of(
        new Naming(
            list.orElse(JsonPointer.empty()),
            written.pointer("row").orElse(JsonPointer.empty()),
            written.pointer("why"),
            written.number("first", 0, 1).orElse(0)));
  }

  private static Optional<Confirming> confirming(Written all) {
    if (!all.values().containsKey(CONFIRM)) {
      return Optional.empty();
    }
    Written written = all.inside(CONFIRM, "confirm", "at", "id", "every", "within");
    Optional<String> at = written.text("at");
    at.filter(text -> !text.contains("{id}") || !isAddress(text.replace("{id}", "x")))
        .ifPresent(
            text ->
                written.wrong(
                    "at",
                    "'" + text + "' is not an address with {id}",
                    "such as https://HOST/posts/{id}; without it, Location of the answer is"
                        + " asked"));
    return Optional.of(
        new Confirming(
            at,
            written.pointer("id"),
            written.time("every").orElse(Duration.ofSeconds(1)),
            written.time("within").orElse(Duration.ofMinutes(5))));
  }

  private static Optional<Aside> aside(Written all) {
    if (!all.values().containsKey(UNDELIVERED)) {
      return Optional.empty();
    }
    Written written = all.inside(UNDELIVERED, "undelivered", "after", "to");
    Optional<Duration> after = written.time("after");
    if (after.isEmpty() && written.text("after").isEmpty()) {
      all.wrong(UNDELIVERED, "undelivered needs 'after'", "such as {after: 1h, to: undelivered}");
    }
    return Optional.of(
        new Aside(after.orElse(Duration.ofHours(1)), written.text("to").orElse("undelivered")));
  }
}
