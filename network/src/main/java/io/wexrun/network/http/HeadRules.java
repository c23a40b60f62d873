package io.wexrun.network.http;

import io.netty.handler.codec.http.HttpHeaderNames;
import io.netty.handler.codec.http.HttpHeaders;
import io.netty.handler.codec.http.HttpRequest;
import io.netty.handler.codec.http.HttpVersion;
import io.netty.handler.codec.http.QueryStringDecoder;
import io.netty.handler.codec.http2.HttpConversionUtil;
import java.net.URI;
import java.net.URISyntaxException;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;

/** What the head of a request must be like: RFC 9112, and of whom it may come in a browser. */
final class HeadRules {
  /** A host and a port (RFC 3986, 3.2.2); empty for a target without an authority. */
  private static final Pattern HOST =
      Pattern.compile(
          "([A-Za-z0-9._~!$&'()*+,;=-]|%[0-9A-Fa-f]{2})*(:\\d{0,5})?|\\[[0-9A-Fa-f:.]+](:\\d{0,5})?");

  private HeadRules() {}

  /** What is wrong with a head; empty if nothing is. */
  static Optional<Answer> wrong(HttpRequest head) {
    HttpHeaders headers = head.headers();
    boolean old = head.protocolVersion().compareTo(HttpVersion.HTTP_1_1) < 0;
    boolean length = headers.contains(HttpHeaderNames.CONTENT_LENGTH);
    List<String> coded = headers.getAll(HttpHeaderNames.TRANSFER_ENCODING);
    if (!coded.isEmpty() && length) {
      return bad("its length is told in two ways");
    }
    if (!coded.isEmpty() && old) {
      return bad("HTTP/1.0 has no Transfer-Encoding");
    }
    String codings = String.join(",", coded).strip().toLowerCase(Locale.ROOT);
    if (!coded.isEmpty() && !codings.equals("chunked")) {
      return codings.endsWith("chunked")
          ? Optional.of(
              Answer.problem(
                  501, "of transfer codings only chunked is taken: use Content-Encoding"))
          : bad("its Transfer-Encoding does not end with chunked, so that its end is not known");
    }
    if (old && !length && head.method().name().equals("POST")) {
      return Optional.of(Answer.problem(411, "of HTTP/1.0 a body needs a Content-Length"));
    }
    List<String> hosts = headers.getAll(HttpHeaderNames.HOST);
    boolean second = headers.contains(HttpConversionUtil.ExtensionHeaderNames.STREAM_ID.text());
    if (hosts.size() > 1 || hosts.isEmpty() && !old && !second) {
      return bad("it has " + (hosts.isEmpty() ? "no" : hosts.size()) + " Host fields, not one");
    }
    if (!hosts.isEmpty() && !HOST.matcher(hosts.get(0)).matches()) {
      return bad("its Host is not one");
    }
    return Optional.empty();
  }

  private static Optional<Answer> bad(String why) {
    return Optional.of(Answer.problem(Answer.BAD, why));
  }

  /**
   * The path of a request's target, also of an absolute one; empty if it is none.
   *
   * @param target as it came
   */
  static Optional<String> path(String target) {
    // A path with nothing to decode in it is what it is.
    if (target.startsWith("/") && target.indexOf('%') < 0 && target.indexOf('?') < 0) {
      return Optional.of(target);
    }
    try {
      String local = target;
      if (target.regionMatches(true, 0, "http://", 0, 7)
          || target.regionMatches(true, 0, "https://", 0, 8)) {
        int slash = target.indexOf('/', target.indexOf("//") + 2);
        local = slash < 0 ? "/" : target.substring(slash);
      }
      return Optional.of(new QueryStringDecoder(local).path());
    } catch (IllegalArgumentException e) {
      return Optional.empty(); // Such as %zz, or bytes that are no UTF-8.
    }
  }

  /**
   * The answer to a page of another site that makes a browser send something here; empty if it may.
   *
   * @param allowed origins that may; {@code *} for all
   */
  static Optional<Answer> foreign(HttpRequest head, Set<String> allowed) {
    String origin = head.headers().get(HttpHeaderNames.ORIGIN);
    if (origin == null || allowed.contains("*") || allowed.contains(origin)) {
      return Optional.empty();
    }
    String host = head.headers().get(HttpHeaderNames.HOST, "");
    try {
      String authority = new URI(origin).getRawAuthority();
      if (authority != null && authority.equalsIgnoreCase(host)) {
        return Optional.empty();
      }
    } catch (URISyntaxException e) {
      // It is of nobody here.
    }
    return Optional.of(
        Answer.problem(Answer.FORBIDDEN, "pages of other origins may not send anything here"));
  }
}
