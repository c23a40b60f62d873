package io.wexrun.core.pattern;

import static org.assertj.core.api.Assertions.assertThat;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** Automata find what RE2/J finds: the same match, with the same groups. */
class SearchTest {
  private static final List<String> ATOMS =
      List.of(
          "a",
          "b",
          "k",
          "é",
          "€",
          "😀",
          ".",
          "\\d",
          "\\w",
          "\\s",
          "\\S",
          "\\W",
          "[ab]",
          "[^a]",
          "[a-ké]",
          "[^\"]",
          "\\b",
          "\\B",
          "^",
          "$",
          "\\A",
          "\\z",
          "\"",
          " ",
          "(?i:k)",
          "(?s:.)",
          "[[:alpha:]]",
          "(?m:^)",
          "(?m:$)",
          "\\x61",
          "\\.",
          "[.\\]\\d-]",
          "\\n",
          "ab",
          "(?i:aB)",
          "(?i:\\w)",
          "(?i:\\W)",
          "(?i:[\\w.])");
  private static final List<String> EDGES =
      List.of("\\b", "\\B", "^", "$", "\\A", "\\z", "(?m:^)", "(?m:$)");
  private static final List<String> COUNTS =
      List.of("", "", "", "", "*", "+", "?", "*?", "+?", "??", "{2}", "{1,3}", "{0,2}?", "{2,}");
  private static final String[] LETTERS = {
    "a", "b", "k", "K", "é", "€", "😀", "1", " ", "\"", "\n", ".", "-", "\u212A", "A", "B"
  };

  @Provide
  Arbitrary<Long> seeds() {
    return Arbitraries.longs();
  }

  private static String pattern(Random random, int depth) {
    StringBuilder text = new StringBuilder();
    int parts = 1 + random.nextInt(4);
    for (int i = 0; i < parts; i++) {
      int kind = random.nextInt(depth == 0 ? 6 : 9);
      String part =
          kind < 6
              ? ATOMS.get(random.nextInt(ATOMS.size()))
              : kind == 6
                  ? "(?:" + pattern(random, depth - 1) + ")"
                  : "(" + pattern(random, depth - 1) + ")";
      text.append(part);
      if (!EDGES.contains(part) && (kind < 6 || random.nextInt(3) == 0)) {
        text.append(COUNTS.get(random.nextInt(COUNTS.size())));
      }
    }
    if (random.nextInt(4) == 0) {
      text.append('|').append(pattern(random, 0));
    }
    return text.toString();
  }

  private static String text(Random random) {
    StringBuilder text = new StringBuilder();
    for (int i = random.nextInt(14); i > 0; i--) {
      text.append(LETTERS[random.nextInt(LETTERS.length)]);
    }
    return text.toString();
  }

  private static void same(Pattern pattern, Search search, byte[] padded, int from, int to) {
    String text = new String(padded, from, to - from, StandardCharsets.UTF_8);
    Matcher matcher = pattern.matcher(text); // What precedes a byte, RE2/J does not always know.
    int[] groups = new int[2 * pattern.groupCount() + 2];
    boolean found = search.find(padded, from, to, groups);
    assertThat(found).as("find").isEqualTo(matcher.find());
    List<Integer> expected = new ArrayList<>();
    List<Integer> actual = new ArrayList<>();
    for (int i = 0; found && i <= pattern.groupCount(); i++) {
      expected.add(matcher.start(i) < 0 ? -1 : from + bytes(text, matcher.start(i)));
      expected.add(matcher.start(i) < 0 ? -1 : from + bytes(text, matcher.end(i)));
      actual.add(groups[2 * i]);
      actual.add(groups[2 * i + 1]);
    }
    assertThat(actual).as("groups").isEqualTo(expected);
    assertThat(search.isIn(padded, from, to)).as("is in").isEqualTo(found);
    assertThat(search.begins(padded, from, to))
        .as("begins")
        .isEqualTo(pattern.matcher(text).lookingAt());
    assertThat(search.matches(padded, from, to))
        .as("matches")
        .isEqualTo(pattern.matcher(text).matches());
  }

  private static int bytes(String text, int chars) {
    return text.substring(0, chars).getBytes(StandardCharsets.UTF_8).length;
  }

  /** Also so often that each automaton has been grown by other texts before. */
  @Property(tries = 1500)
  void whatIsFoundIsWhatReTwoFinds(@ForAll("seeds") long seed) {
    Random random = new Random(seed);
    String written = pattern(random, 2);
    Pattern pattern;
    try {
      pattern = Pattern.compile(written);
    } catch (PatternSyntaxException e) {
      return;
    }
    Search search = Search.of(pattern);
    for (int i = 0; i < 12; i++) {
      String text = text(random);
      byte[] padded = ("k" + text + "a").getBytes(StandardCharsets.UTF_8);
      try {
        same(pattern, search, padded, 1, padded.length - 1);
      } catch (AssertionError e) {
        throw new AssertionError("/" + written + "/ in '" + text + "': " + e.getMessage(), e);
      }
    }
  }

  @Test
  void mostRandomPatternsHaveAnAutomaton() {
    Random random = new Random(7);
    int automata = 0;
    int all = 0;
    for (int i = 0; i < 2000; i++) {
      try {
        automata +=
            Search.of(Pattern.compile(pattern(random, 2))).whyNoAutomaton().isEmpty() ? 1 : 0;
        all++;
      } catch (PatternSyntaxException e) {
        continue; // Such as two counts in a row.
      }
    }
    assertThat(automata).isGreaterThan(all / 2);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "(a+)(b+)~aabb~0,4,0,2,2,4",
        "(a|ab)(c|bcd)(d*)~abcd~0,4,0,1,1,4,4,4",
        "(a+?)(a*)~aaa~0,3,0,1,1,3",
        "x*~aaa~0,0",
        "card=(\\w+)~scan card=7F ms=3~5,12,10,12",
        "(?:a|b)*?c~abac~0,4",
        "^(\\S+) (\\S+)$~ab cd~0,5,0,2,3,5",
        "(a)|(b)~b~0,1,-1,-1,0,1",
        "\\bé\\b~é~none",
        "b$~ab~1,2",
        "(.*)(\\d+)(.*)~ab12cd~0,6,0,3,3,4,4,6",
        "(.*?)(\\d+)(.*)~ab12cd~0,6,0,2,2,4,4,6",
      })
  void thePreferredMatchIsFound(String regex, String text, String expected) {
    Pattern pattern = Pattern.compile(regex);
    Search search = Search.of(pattern);
    assertThat(search.whyNoAutomaton()).isEmpty();
    byte[] data = text.getBytes(StandardCharsets.UTF_8);
    int[] groups = new int[2 * search.groups() + 2];
    boolean found = search.find(data, 0, data.length, groups);
    String actual = Arrays.toString(groups).replace(" ", "").replace("[", "").replace("]", "");
    assertThat(found ? actual : "none").isEqualTo(expected);
    same(pattern, search, data, 0, data.length);
  }

  @ParameterizedTest
  @ValueSource(strings = {"\\pL+", "(?i)é", "(a*)*", "\\Qab\\E", "(?i:[[:alpha:]])"})
  void whatNoAutomatonIsMadeForIsLeftToReTwo(String regex) {
    Pattern pattern = Pattern.compile(regex);
    Search search = Search.of(pattern);
    assertThat(search.whyNoAutomaton()).isPresent();
    byte[] data = "xab \u00c9 ab".getBytes(StandardCharsets.UTF_8);
    same(pattern, search, data, 0, data.length);
  }

  @Test
  void aTextThatIsNotUtf8IsLeftToReTwo() {
    byte[] data = {'a', (byte) 0xE9, 'b', ' ', 'c'};
    Search search = Search.of(Pattern.compile("^(a.)"));
    int[] groups = new int[4];
    assertThat(search.find(data, 0, data.length, groups)).isTrue();
    assertThat(groups[0]).isZero();
    assertThat(search.isIn(data, 0, data.length)).isTrue();
    assertThat(Search.of(Pattern.compile("b")).isIn(data, 0, data.length)).isTrue();
  }

  @Test
  void aPatternWhoseAutomatonWouldGrowTooLargeIsLeftToReTwo() {
    Pattern pattern = Pattern.compile("(a|b)*a(a|b){14}c");
    Search search = Search.of(pattern);
    Random random = new Random(3);
    for (int i = 0; i < 3; i++) {
      StringBuilder text = new StringBuilder();
      random.ints(20_000, 0, 2).forEach(bit -> text.append(bit == 0 ? 'a' : 'b'));
      byte[] data = text.append('c').toString().getBytes(StandardCharsets.UTF_8);
      same(pattern, search, data, 0, data.length);
    }
  }

  /** Each place of the literal is a place where a match could begin, and none ends. */
  @Test
  void manyFalseStartsTakeNoMoreThanLinearTime() {
    byte[] data = "a=".repeat(200_000).getBytes(StandardCharsets.UTF_8);
    Search search = Search.of(Pattern.compile("a=(.*)!"));
    assertThat(search.find(data, 0, data.length, new int[4])).isFalse();
  }
}
