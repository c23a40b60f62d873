package io.wexrun.core.pattern;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;

/** Fixed text is found where a regular expression finds it, wherever it stands in the words. */
class LiteralTest {
  @Provide
  Arbitrary<String> texts() {
    return Arbitraries.strings().withChars("ab/=\" ").ofMinLength(1).ofMaxLength(11);
  }

  @Provide
  Arbitrary<String> data() {
    return Arbitraries.strings().withChars("aaab/=\" \t\\\u0001\u00ff").ofMaxLength(60);
  }

  /** The text as a regular expression: a blank is a run of blanks and tabs, never given back. */
  private static String regex(String text) {
    return text.replaceAll(" +", " ")
        .chars()
        .mapToObj(c -> c == ' ' ? "[ \t]++" : Pattern.quote("" + (char) c))
        .reduce("", String::concat);
  }

  private static String found(long located) {
    return located == Literal.NOWHERE
        ? "nowhere"
        : Literal.start(located) + " to " + Literal.end(located);
  }

  private static String found(Matcher matcher, String group) {
    return matcher.find() ? matcher.start(group) + " to " + matcher.end(group) : "nowhere";
  }

  @Property(tries = 5000)
  void itIsLocatedWhereARegularExpressionFindsIt(
      @ForAll("texts") String text,
      @ForAll("data") String line,
      @ForAll @IntRange(max = 12) int cut) {
    byte[] data = line.getBytes(StandardCharsets.ISO_8859_1);
    int from = Math.min(cut, data.length);
    int to = Math.max(from, data.length - cut);
    Matcher matcher =
        Pattern.compile("(?<text>" + regex(text) + ")").matcher(line).region(from, to);
    assertThat(found(new Literal(text).locate(data, from, to))).isEqualTo(found(matcher, "text"));
  }

  @Property(tries = 5000)
  void behindABackslashNothingEndsAQuotedValue(
      @ForAll("texts") String rest, @ForAll("data") String line) {
    byte[] data = line.getBytes(StandardCharsets.ISO_8859_1);
    Literal literal = new Literal("\"" + rest);
    String skipped = "\\G(?s:(?:\\\\.|(?!" + regex("\"" + rest) + ")[^\\\\])*+)";
    Matcher matcher =
        Pattern.compile(skipped + "(?<text>" + regex("\"" + rest) + ")").matcher(line);
    long located =
        literal.locateUnescaped(literal.locate(data, 0, data.length), data, 0, data.length);
    assertThat(found(located)).isEqualTo(found(matcher, "text"));
  }
}
