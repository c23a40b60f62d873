package io.wexrun.core.look;

import io.wexrun.core.field.JsonMembers;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A line in two parts: a head that templates read, and a JSON object or pairs behind it.
 *
 * @param before the head
 * @param text what is behind it
 */
record Tail(String before, String text) {
  /** The field that has it, between the steps. */
  static final String FIELD = "data";

  /** The field of the words before it, if there are such. */
  static final String WORDS = "message";

  private static final Pattern PAIRS =
      Pattern.compile(
          "(?:^| )((?:[A-Za-z_][\\w.-]*=(?:\"(?:[^\"\\\\]|\\\\.)*\"|[^\\s\"]*)(?: +|$))+)$");
  private static final Pattern KEY = Pattern.compile("(?:^| )([A-Za-z_][\\w.-]*)=");
  private static final int FEWEST_PAIRS = 2;

  /** What stands behind. */
  enum Kind {
    JSON,
    PAIRS;

    /** Whether templates alone would not do as well: pairs that always come in one order. */
    boolean worthIt(List<String> lines) {
      return this == JSON
          || lines.stream()
                  .flatMap(line -> of(this, line).stream())
                  .map(Tail::keys)
                  .distinct()
                  .limit(2)
                  .count()
              > 1;
    }
  }

  private List<String> keys() {
    return KEY.matcher(text).results().map(found -> found.group(1)).toList();
  }

  /** The parts of a line; empty if it has no such tail, or nothing before it. */
  static Optional<Tail> of(Kind kind, String line) {
    String whole = line.stripTrailing();
    return (kind == Kind.JSON ? json(whole) : pairs(whole)).filter(tail -> !tail.before.isBlank());
  }

  private static Optional<Tail> json(String line) {
    if (!line.endsWith("}")) {
      return Optional.empty();
    }
    for (int at = line.indexOf('{'); at >= 0; at = line.indexOf('{', at + 1)) {
      String text = line.substring(at);
      byte[] utf8 = text.getBytes(StandardCharsets.UTF_8);
      boolean apart = at > 0 && line.charAt(at - 1) == ' ';
      if (apart && new JsonMembers().visit(utf8, (path, json) -> {})) {
        return Optional.of(new Tail(line.substring(0, at).stripTrailing(), text));
      }
    }
    return Optional.empty();
  }

  private static Optional<Tail> pairs(String line) {
    Matcher matcher = PAIRS.matcher(line);
    if (!matcher.find() || KEY.matcher(matcher.group()).results().count() < FEWEST_PAIRS) {
      return Optional.empty();
    }
    return Optional.of(
        new Tail(line.substring(0, matcher.start()).stripTrailing(), matcher.group(1)));
  }
}
