package io.wexrun.network.http;

import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.written.Form;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Inbox;
import io.wexrun.queue.Queue;
import java.time.Duration;
import java.time.InstantSource;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.stream.Stream;

/**
 * {@code intake: {http: 8400/gates}}: records in the bodies of POST requests.
 *
 * <pre>{@code
 * http: ADDRESS/PATH     PATH may have {VALUES}, which become headers of the records
 * body: type | lines | json | csv | whole
 * header: true           the first line of CSV names the columns
 * strict: true           what was announced as JSON and is not is refused
 * headers: [NAME, ...]   header fields of the request that become headers of the records
 * peer: true             the sender's address becomes the header peer
 * most: SIZE             of a body, also unpacked
 * repeats: TIME          for how long an Idempotency-Key is known
 * access: token | open
 * }</pre>
 */
public final class HttpConnector extends HttpReceiving {
  private static final String BODY = "body";
  private static final String HEADER = "header";
  private static final String STRICT = "strict";
  private static final String HEADERS = "headers";
  private static final String REPEATS = "repeats";

  private static final Duration REPEATED = Duration.ofMinutes(10);
  private static final Duration LONGEST_REPEATED = Duration.ofDays(7);
  private static final String NAME = "[A-Za-z0-9!#$%&'*+.^_`|~-]+";

  /** Found as a service. */
  public HttpConnector() {
    super("http");
  }

  @Override
  protected Map<String, Form> own() {
    Map<String, Form> forms =
        Form.with(
            kind(),
            Form.text().about("ADDRESS/PATH, such as 8400/gates or *:8400/depots/{depot}"),
            BODY,
            Form.word(forms().toArray(String[]::new)),
            FRAMING,
            Form.any(),
            HEADER,
            Form.word("true", "false"),
            STRICT,
            Form.word("true", "false"),
            HEADERS,
            Form.list(Form.text()).about("header fields that become headers of the records"),
            PEER,
            Form.word("true", "false"),
            REPEATS,
            Form.text().about("for how long an Idempotency-Key is known; 10m"));
    forms.putAll(common());
    return forms;
  }

  private static List<String> forms() {
    return Stream.of(Bodies.Form.values()).map(Bodies.Form::toString).toList();
  }

  @Override
  protected String address(Settings settings) {
    return settings.main().replaceFirst("/.*", "");
  }

  private static String path(Settings settings) {
    int slash = settings.main().indexOf('/');
    return slash < 0 ? "/" : settings.main().substring(slash);
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    super.check(settings, site, path, diagnostics);
    if (!Route.isPath(path(settings))) {
      bad(path.key(kind()), path(settings), "a path, such as /gates/{gate}", diagnostics);
    }
    settings
        .text(BODY)
        .filter(word -> !forms().contains(word))
        .ifPresent(
            word -> bad(path.key(BODY), word, "one of " + String.join(", ", forms()), diagnostics));
    for (String flag : List.of(HEADER, STRICT, PEER)) {
      String word = settings.text(flag).orElse("false");
      if (!word.matches("true|false")) {
        bad(path.key(flag), word, "true or false", diagnostics);
      }
    }
    for (String name : names(settings)) {
      if (!name.matches(NAME)) {
        bad(path.key(HEADERS), name, "the name of a header field", diagnostics);
      }
    }
    if (settings.values().containsKey(REPEATS)
        && settings
            .text(REPEATS)
            .flatMap(Sizes::duration)
            .filter(time -> time.compareTo(LONGEST_REPEATED) <= 0)
            .isEmpty()) {
      bad(path.key(REPEATS), settings.text(REPEATS).orElse(""), "a time up to 7d", diagnostics);
    }
  }

  private static List<String> names(Settings settings) {
    Object written = settings.values().get(HEADERS);
    return written instanceof List<?> list
        ? list.stream().map(String::valueOf).toList()
        : settings.text(HEADERS).map(List::of).orElse(List.of());
  }

  @Override
  public Set<String> takesAway(Settings settings, Site site) {
    return Address.read(address(settings))
        .map(address -> Set.of("what comes to " + address + path(settings)))
        .orElse(Set.of());
  }

  @Override
  protected Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox) {
    Route route = new Route(path(opening.settings()), taker(opening, queue, inbox));
    return serve(opening, List.of(route));
  }

  private HttpReception taker(IntakeOpening opening, Queue queue, Inbox inbox) {
    Settings settings = opening.settings();
    String word = settings.text(BODY).orElse("type").toUpperCase(Locale.ROOT);
    Bodies bodies =
        new Bodies(
            Bodies.Form.valueOf(word),
            framing(settings),
            flag(settings, HEADER),
            flag(settings, STRICT));
    Duration time = settings.text(REPEATS).flatMap(Sizes::duration).orElse(REPEATED);
    queue.remember(time);
    HttpReception.Kept kept =
        new HttpReception.Kept(names(settings), flag(settings, PEER), most(settings));
    return new HttpReception(
        inbox,
        bodies,
        new Repeats(queue, time, InstantSource.system()),
        guard(opening, queue.name()),
        kept);
  }
}
