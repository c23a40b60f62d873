package io.wexrun.core.expression;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;

/** What functions do with regular expressions in RE2 syntax. For several threads. */
final class Regexes {
  /** The functions whose second argument is a regular expression. */
  static final Set<String> NAMES = Set.of("replaceAll", "splitAll", "findAll");

  private static final Map<String, Pattern> PATTERNS = new ConcurrentHashMap<>();
  private static final int MOST_PATTERNS = 1000;

  /** Codes of colours and of the cursor, as terminals know them (ECMA-48). */
  private static final Pattern CODES = Pattern.compile("\u001b\\[[0-?]*[ -/]*[@-~]");

  private Regexes() {}

  /**
   * A pattern, compiled once.
   *
   * @throws IllegalArgumentException if it is none
   */
  static Pattern pattern(String text) {
    Pattern known = PATTERNS.get(text);
    if (known != null) {
      return known;
    }
    try {
      Pattern pattern = Pattern.compile(text);
      if (PATTERNS.size() < MOST_PATTERNS) {
        PATTERNS.put(text, pattern);
      }
      return pattern;
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException(
          "'" + text + "' is not a regular expression: " + e.getDescription());
    }
  }

  /** The text with every match replaced; {@code $1} and {@code ${name}} stand for groups. */
  static String replaceAll(String text, String pattern, String by) {
    try {
      return pattern(pattern).matcher(text).replaceAll(by);
    } catch (IndexOutOfBoundsException e) {
      throw new IllegalArgumentException(
          "'" + by + "' names a group that '" + pattern + "' does not have");
    }
  }

  /** The parts between matches, empty ones too. */
  static List<String> split(String text, String pattern) {
    List<String> parts = new ArrayList<>();
    Matcher matcher = pattern(pattern).matcher(text);
    int from = 0;
    while (matcher.find()) {
      if (matcher.end() > matcher.start()) {
        parts.add(text.substring(from, matcher.start()));
        from = matcher.end();
      }
    }
    parts.add(text.substring(from));
    return parts;
  }

  /** All matches; of a pattern with groups the first group of each, where it takes part. */
  static List<String> findAll(String text, String pattern) {
    List<String> found = new ArrayList<>();
    Matcher matcher = pattern(pattern).matcher(text);
    int group = matcher.groupCount() > 0 ? 1 : 0;
    while (matcher.find()) {
      if (matcher.start(group) >= 0) {
        found.add(matcher.group(group));
      }
    }
    return found;
  }

  /** The text without codes of colours. */
  static String plain(String text) {
    return text.indexOf('\u001b') < 0 ? text : CODES.matcher(text).replaceAll("");
  }
}
