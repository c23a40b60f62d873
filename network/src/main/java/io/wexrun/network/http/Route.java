package io.wexrun.network.http;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A path, perhaps with values as in {@code /depots/{depot}/events}, and who takes what comes there.
 */
public final class Route {
  private static final Pattern NAME = Pattern.compile("\\{([A-Za-z_][A-Za-z0-9_]*)}");
  private static final Pattern FORM =
      Pattern.compile("(/([A-Za-z0-9._~%@:!$&'()*+,;=-]|\\{[A-Za-z_][A-Za-z0-9_]*})*)+");

  private static final String POST = "POST";

  private final String method;
  private final String path;
  private final Pattern pattern;
  private final List<String> names = new ArrayList<>();
  private final Taker taker;
  private volatile boolean stopped;

  /** Takes requests. For several threads; does not wait. */
  public interface Taker {
    /**
     * Whether a request may come at all, before its body does.
     *
     * @param length of the body, if that is known
     * @return the answer of one that may not
     */
    Optional<Answer> refuse(Request head, Optional<Long> length);

    /** Takes a request. */
    CompletableFuture<Answer> take(Request request);

    /** How many bytes a body may have. */
    int most();

    /** The origins of other sites whose pages may send something; {@code *} for all. */
    default Set<String> origins() {
      return Set.of();
    }
  }

  /** Whoever posts to a path is answered by a taker. */
  public Route(String path, Taker taker) {
    this(POST, path, taker);
  }

  /**
   * Whoever sends requests of a method to a path is answered by a taker.
   *
   * @param method of HTTP, such as {@code GET}
   */
  public Route(String method, String path, Taker taker) {
    this.method = method;
    this.path = path;
    this.taker = taker;
    StringBuilder regex = new StringBuilder();
    Matcher matcher = NAME.matcher(path);
    int at = 0;
    while (matcher.find()) {
      regex.append(Pattern.quote(path.substring(at, matcher.start()))).append("([^/]+)");
      names.add(matcher.group(1));
      at = matcher.end();
    }
    pattern = Pattern.compile(regex.append(Pattern.quote(path.substring(at))).toString());
  }

  /** Whether a text is such a path. */
  static boolean isPath(String text) {
    return FORM.matcher(text).matches();
  }

  /** Who comes from now on is asked to come again later. */
  void stop() {
    stopped = true;
  }

  boolean stopped() {
    return stopped;
  }

  String method() {
    return method;
  }

  String path() {
    return path;
  }

  Taker taker() {
    return taker;
  }

  /** The values of a path; empty if it is another one. */
  Optional<Map<String, String>> values(String requested) {
    if (names.isEmpty()) {
      return requested.equals(path) ? Optional.of(Map.of()) : Optional.empty();
    }
    Matcher matcher = pattern.matcher(requested);
    if (!matcher.matches()) {
      return Optional.empty();
    }
    Map<String, String> values = new LinkedHashMap<>();
    for (int i = 0; i < names.size(); i++) {
      values.put(names.get(i), matcher.group(i + 1));
    }
    return Optional.of(values);
  }
}
