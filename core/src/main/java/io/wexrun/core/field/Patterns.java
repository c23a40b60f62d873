package io.wexrun.core.field;

import com.google.re2j.Pattern;
import java.util.Map;
import java.util.regex.Matcher;

/**
 * Regular expressions in RE2 syntax, in which {@code (?&name)} stands for a named pattern, as a
 * subroutine call does in PCRE. No text can make them slow: matching takes time linear in it.
 */
public final class Patterns {
  private static final java.util.regex.Pattern CALL =
      java.util.regex.Pattern.compile("\\(\\?&([A-Za-z_][A-Za-z0-9_-]*)\\)");
  private static final int DEEPEST = 20;

  private Patterns() {}

  /**
   * Compiles a pattern.
   *
   * @throws IllegalArgumentException if it names a pattern that is not there, or goes in a circle
   * @throws com.google.re2j.PatternSyntaxException if it is no pattern
   */
  public static Pattern compile(String regex, Map<String, String> patterns) {
    // RE2/J writes a named group with a P.
    return Pattern.compile(expand(regex, patterns, 0).replace("(?<", "(?P<"));
  }

  private static String expand(String regex, Map<String, String> patterns, int depth) {
    if (depth > DEEPEST) {
      throw new IllegalArgumentException("its patterns name each other in a circle");
    }
    return CALL.matcher(regex)
        .replaceAll(
            call -> {
              String inner = patterns.get(call.group(1));
              if (inner == null) {
                throw new IllegalArgumentException("there is no pattern '" + call.group(1) + "'");
              }
              String expanded = expand(inner, patterns, depth + 1);
              return Matcher.quoteReplacement("(?:" + expanded + ")");
            });
  }
}
