package io.wexrun.core.framing;

import io.wexrun.core.intake.Framing;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * The framings that intakes share: by what is written in settings, and by the names under which
 * channels know them.
 *
 * <pre>{@code
 * framing: lines | csv | syslog | varint | int32
 * framing: {begins: PATTERN} | {continues: PATTERN} | {ends: PATTERN}
 * framing: {separator: TEXT} | {length: BYTES}
 * }</pre>
 */
public final class Framings {
  private static final String SEPARATOR = "separator";
  private static final String LENGTH = "length";
  private static final Map<String, Framing> NAMED = new LinkedHashMap<>();

  static {
    for (Framing framing :
        List.of(
            Lines.FRAMING,
            QuotedLines.FRAMING,
            SyslogFrames.FRAMING,
            Delimited.VARINT,
            Delimited.INT32)) {
      NAMED.put(framing.form(), framing);
    }
  }

  private static final List<String> WORDS = List.copyOf(NAMED.keySet());
  private static final List<String> RULES =
      Stream.concat(
              Stream.of(LineGroups.Rule.values()).map(LineGroups.Rule::toString),
              Stream.of(SEPARATOR, LENGTH))
          .toList();

  static {
    NAMED.put(Placed.FRAMING.form(), Placed.FRAMING);
  }

  private Framings() {}

  /** The framing with a name; empty if there is none. */
  public static Optional<Framing> named(String name) {
    return Optional.ofNullable(NAMED.get(name))
        .or(() -> LineGroups.named(name))
        .or(() -> Separated.named(name))
        .or(() -> FixedLength.named(name))
        .or(() -> Headed.named(name))
        .or(() -> Skipping.named(name))
        .or(() -> Decoding.named(name));
  }

  /**
   * The framing that a setting says.
   *
   * @param written a word, or a map with one rule; lines if it is null
   * @throws IllegalArgumentException if it says none; the message says why
   */
  public static Framing read(Object written) {
    if (written == null) {
      return Lines.FRAMING;
    }
    if (!(written instanceof Map<?, ?> rules)) {
      String word = String.valueOf(written);
      if (!WORDS.contains(word)) {
        throw new IllegalArgumentException("'" + word + "' is neither " + words());
      }
      return NAMED.get(word);
    }
    if (rules.size() != 1 || !RULES.contains(String.valueOf(rules.keySet().iterator().next()))) {
      throw new IllegalArgumentException("a framing has one rule of " + String.join(", ", RULES));
    }
    Map.Entry<?, ?> rule = rules.entrySet().iterator().next();
    String value = String.valueOf(rule.getValue());
    return switch (String.valueOf(rule.getKey())) {
      case SEPARATOR -> Separated.of(value);
      case LENGTH -> FixedLength.of(value);
      default ->
          LineGroups.of(
              LineGroups.Rule.valueOf(String.valueOf(rule.getKey()).toUpperCase(Locale.ROOT)),
              value);
    };
  }

  private static String words() {
    return String.join(" nor ", WORDS) + ", nor a rule such as {begins: PATTERN}";
  }

  /** Whether records are text that ends with a line. */
  public static boolean ofLines(Framing framing) {
    return framing == Lines.FRAMING
        || framing == QuotedLines.FRAMING
        || framing == SyslogFrames.FRAMING
        || framing instanceof LineGroups;
  }

  /** Whether records have several lines, of which each tells how it belongs to them. */
  public static boolean ofGroups(Framing framing) {
    return framing instanceof LineGroups;
  }

  /**
   * Whether only what follows a record tells that it has ended, so that the last one is taken when
   * nothing has followed for a while.
   */
  public static boolean openEnded(Framing framing) {
    return framing instanceof LineGroups groups && groups.rule() != LineGroups.Rule.ENDS;
  }
}
