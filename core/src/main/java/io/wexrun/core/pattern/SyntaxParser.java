package io.wexrun.core.pattern;

import io.wexrun.core.pattern.Syntax.At;
import io.wexrun.core.pattern.Syntax.Edge;
import io.wexrun.core.pattern.Syntax.Either;
import io.wexrun.core.pattern.Syntax.Group;
import io.wexrun.core.pattern.Syntax.OneOf;
import io.wexrun.core.pattern.Syntax.Repeated;
import io.wexrun.core.pattern.Syntax.Sequence;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * Reads patterns that RE2/J has compiled, so that no mistake is left in them.
 *
 * @see <a href="https://github.com/google/re2/wiki/Syntax">the syntax of RE2</a>
 */
final class SyntaxParser {
  private static final Map<Character, Integer> ESCAPES =
      Map.of('n', 10, 't', 9, 'r', 13, 'f', 12, 'v', 11, 'a', 7);
  private static final Map<String, int[]> POSIX =
      Map.ofEntries(
          Map.entry("alnum", new int[] {'0', '9', 'A', 'Z', 'a', 'z'}),
          Map.entry("alpha", new int[] {'A', 'Z', 'a', 'z'}),
          Map.entry("ascii", new int[] {0, 127}),
          Map.entry("blank", new int[] {9, 9, ' ', ' '}),
          Map.entry("cntrl", new int[] {0, 31, 127, 127}),
          Map.entry("digit", Ranges.DIGIT),
          Map.entry("graph", new int[] {'!', '~'}),
          Map.entry("lower", new int[] {'a', 'z'}),
          Map.entry("print", new int[] {' ', '~'}),
          Map.entry("punct", new int[] {'!', '/', ':', '@', '[', '`', '{', '~'}),
          Map.entry("space", new int[] {9, 13, ' ', ' '}),
          Map.entry("upper", new int[] {'A', 'Z'}),
          Map.entry("word", Ranges.WORD),
          Map.entry("xdigit", new int[] {'0', '9', 'A', 'F', 'a', 'f'}));

  private final String text;
  private int at;
  private int groups;
  private boolean fold;
  private boolean dotAll;
  private boolean lines;
  private boolean swapGreed;

  private SyntaxParser(String text) {
    this.text = text;
  }

  /** What a pattern is, with how many groups it has. */
  record Read(Syntax syntax, int groups) {}

  static Read read(String pattern) throws UnsupportedPatternException {
    SyntaxParser parser = new SyntaxParser(pattern);
    Syntax syntax = parser.either();
    if (parser.at < pattern.length()) {
      throw new UnsupportedPatternException("a ')' too many");
    }
    return new Read(syntax, parser.groups);
  }

  private boolean has(char c) {
    return at < text.length() && text.charAt(at) == c;
  }

  private boolean take(String what) {
    boolean there = text.startsWith(what, at);
    at += there ? what.length() : 0;
    return there;
  }

  private int next() throws UnsupportedPatternException {
    if (at >= text.length()) {
      throw new UnsupportedPatternException("an end too early");
    }
    int c = text.codePointAt(at);
    at += Character.charCount(c);
    return c;
  }

  /** Up to a closing parenthesis, or the end; flags that were set in it end with it. */
  private Syntax either() throws UnsupportedPatternException {
    boolean[] flags = {fold, dotAll, lines, swapGreed};
    List<Syntax> ways = new ArrayList<>();
    do {
      ways.add(sequence());
    } while (take("|"));
    fold = flags[0];
    dotAll = flags[1];
    lines = flags[2];
    swapGreed = flags[3];
    return ways.size() == 1 ? ways.get(0) : new Either(ways);
  }

  private Syntax sequence() throws UnsupportedPatternException {
    List<Syntax> parts = new ArrayList<>();
    while (at < text.length() && !has('|') && !has(')')) {
      Syntax part = part();
      if (part != null) {
        parts.add(repeated(part));
      }
    }
    return parts.size() == 1 ? parts.get(0) : new Sequence(parts);
  }

  private Syntax repeated(Syntax part) throws UnsupportedPatternException {
    Syntax whole = part;
    while (at < text.length()) {
      int least;
      int most;
      if (take("*")) {
        least = 0;
        most = -1;
      } else if (take("+")) {
        least = 1;
        most = -1;
      } else if (take("?")) {
        least = 0;
        most = 1;
      } else {
        int[] counts = counts();
        if (counts == null) {
          return whole;
        }
        least = counts[0];
        most = counts[1];
      }
      boolean lazy = take("?");
      if (whole.empty() && most != 1) {
        throw new UnsupportedPatternException("a repetition of what may be empty");
      }
      whole = new Repeated(whole, least, most, lazy == swapGreed);
    }
    return whole;
  }

  /** {@code {2}}, {@code {2,}} or {@code {2,5}}; null if it is none, then it is text. */
  private int[] counts() {
    int end = text.indexOf('}', at);
    if (!has('{') || end < 0) {
      return null;
    }
    String inside = text.substring(at + 1, end);
    if (!inside.matches("[0-9]{1,4}(,([0-9]{1,4})?)?")) {
      return null;
    }
    at = end + 1;
    String[] parts = inside.split(",", -1);
    int least = Integer.parseInt(parts[0]);
    int most = parts.length == 1 ? least : parts[1].isEmpty() ? -1 : Integer.parseInt(parts[1]);
    return new int[] {least, most};
  }

  /** One part; null for flags, which match nothing. */
  private Syntax part() throws UnsupportedPatternException {
    if (take("(?")) {
      return special();
    }
    int c = next();
    switch (c) {
      case '(' -> {
        int number = ++groups;
        return new Group(closed(), number);
      }
      case '[' -> {
        return new OneOf(oneOf());
      }
      case '.' -> {
        return new OneOf(dotAll ? new int[] {0, Ranges.LAST} : Ranges.without(new int[] {10, 10}));
      }
      case '^' -> {
        return new At(lines ? Edge.LINE_BEGIN : Edge.TEXT_BEGIN);
      }
      case '$' -> {
        return new At(lines ? Edge.LINE_END : Edge.TEXT_END);
      }
      case '\\' -> {
        return escape();
      }
      default -> {
        return literal(c);
      }
    }
  }

  private Syntax closed() throws UnsupportedPatternException {
    Syntax inner = either();
    if (!take(")")) {
      throw new UnsupportedPatternException("a group without end");
    }
    return inner;
  }

  private Syntax special() throws UnsupportedPatternException {
    if (take("P<") || take("<")) {
      at = text.indexOf('>', at) + 1;
      int number = ++groups;
      return new Group(closed(), number);
    }
    boolean[] before = {fold, dotAll, lines, swapGreed};
    boolean on = true;
    while (true) {
      int c = next();
      switch (c) {
        case 'i' -> fold = on;
        case 's' -> dotAll = on;
        case 'm' -> lines = on;
        case 'U' -> swapGreed = on;
        case '-' -> on = false;
        case ')' -> {
          return null; // Until the end of the group that it stands in.
        }
        case ':' -> {
          Syntax inner = closed();
          fold = before[0];
          dotAll = before[1];
          lines = before[2];
          swapGreed = before[3];
          return inner;
        }
        default ->
            throw new UnsupportedPatternException("(?" + Character.toString(c) + " at its place");
      }
    }
  }

  private Syntax literal(int c) throws UnsupportedPatternException {
    Ranges one = new Ranges().add(c, c);
    return new OneOf((fold ? one.withBothCases() : one).sorted());
  }

  private Syntax escape() throws UnsupportedPatternException {
    int c = next();
    switch (c) {
      case 'A' -> {
        return new At(Edge.TEXT_BEGIN);
      }
      case 'z' -> {
        return new At(Edge.TEXT_END);
      }
      case 'b' -> {
        return new At(Edge.WORD_EDGE);
      }
      case 'B' -> {
        return new At(Edge.NO_WORD_EDGE);
      }
      case 'Q' -> {
        int end = text.indexOf("\\E", at);
        String quoted = text.substring(at, end < 0 ? text.length() : end);
        at = end < 0 ? text.length() : end + 2;
        if (quoted.length() != 1) {
          throw new UnsupportedPatternException("a quotation by \\Q");
        }
        return literal(quoted.charAt(0));
      }
      default -> {
        int[] known = classOf(c);
        return known != null ? new OneOf(known) : literal(escaped(c));
      }
    }
  }

  /** The class that a letter behind a backslash stands for; null if it stands for none. */
  private int[] classOf(int c) throws UnsupportedPatternException {
    return switch (c) {
      case 'd' -> Ranges.DIGIT;
      case 's' -> new Ranges().add(Ranges.SPACE).sorted();
      case 'w' -> words();
      case 'D' -> Ranges.without(Ranges.DIGIT);
      case 'S' -> Ranges.without(new Ranges().add(Ranges.SPACE).sorted());
      case 'W' -> Ranges.without(words());
      default -> null;
    };
  }

  /** What {@code \w} stands for: without case, two letters beyond ASCII belong to it, too. */
  private int[] words() throws UnsupportedPatternException {
    Ranges words = new Ranges().add(Ranges.WORD);
    return (fold ? words.withBothCases() : words).sorted();
  }

  private int escaped(int c) throws UnsupportedPatternException {
    if (c == 'x') {
      boolean braces = take("{");
      int end = braces ? text.indexOf('}', at) : at + 2;
      int code = Integer.parseInt(text.substring(at, end), 16);
      at = braces ? end + 1 : end;
      return code;
    }
    if (c < 0x80 && Character.isLetterOrDigit(c)) {
      Integer known = ESCAPES.get((char) c);
      if (known == null) {
        throw new UnsupportedPatternException("\\" + (char) c);
      }
      return known;
    }
    return c;
  }

  private int[] oneOf() throws UnsupportedPatternException {
    boolean not = take("^");
    Ranges ranges = new Ranges();
    boolean first = true;
    while (first || !has(']')) {
      first = false;
      if (take("[:")) {
        int end = text.indexOf(":]", at);
        boolean others = take("^");
        if (fold) {
          throw new UnsupportedPatternException("a named class without case");
        }
        int[] known = POSIX.get(text.substring(at, end));
        ranges.add(others ? Ranges.without(known) : known);
        at = end + 2;
        continue;
      }
      int low = next();
      if (low == '\\') {
        int letter = next();
        int[] known = classOf(letter);
        if (known != null) {
          ranges.add(known);
          continue;
        }
        low = escaped(letter);
      }
      int high = low;
      if (has('-') && at + 1 < text.length() && text.charAt(at + 1) != ']') {
        at++;
        high = next();
        high = high == '\\' ? escaped(next()) : high;
      }
      ranges.add(low, high);
    }
    at++;
    int[] sorted = (fold ? ranges.withBothCases() : ranges).sorted();
    return not ? Ranges.without(sorted) : sorted;
  }
}
