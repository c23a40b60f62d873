package io.wexrun.core.pattern;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import io.wexrun.core.pattern.Syntax.At;
import io.wexrun.core.pattern.Syntax.Edge;
import io.wexrun.core.pattern.Syntax.Group;
import io.wexrun.core.pattern.Syntax.OneOf;
import io.wexrun.core.pattern.Syntax.Sequence;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Searches UTF-8 texts for a pattern in RE2 syntax, with the results of RE2/J, but mostly with one
 * look at each byte. What no automaton is made for (Unicode classes, letters beyond ASCII without
 * case, repetitions of what may be empty), and texts that are not UTF-8, are left to RE2/J. Takes
 * time linear in the text. For several threads.
 */
public final class Search {
  /** How far searches from a literal may read in vain, in texts, before all is searched at once. */
  private static final int PATIENCE = 2;

  private static final int[] NO_GROUPS = {};

  private final Pattern pattern;
  private final Optional<String> why;
  private final Program finding;
  private final Program asked;
  private final Program whole;
  private final Literal prefix;
  private final byte[] wholePrefix;
  private final boolean anchored;
  private final ThreadLocal<Machines> machines = ThreadLocal.withInitial(Machines::new);

  /** Where a match has to be. */
  private enum Where {
    ANYWHERE,
    AT_BEGIN,
    WHOLE
  }

  /** The automata of one thread; each is made when it is needed first. */
  private final class Machines {
    private final Map<Where, Automaton> asking = new EnumMap<>(Where.class);
    private Automaton here;
    private Automaton ahead;

    Automaton here() {
      if (here == null) {
        here = new Automaton(finding, finding.start());
      }
      return here;
    }

    Automaton ahead() {
      if (ahead == null) {
        ahead = new Automaton(finding, finding.search());
      }
      return ahead;
    }

    Automaton asking(Where where) {
      Program program = where == Where.WHOLE ? whole : asked;
      return asking.computeIfAbsent(
          where,
          w -> new Automaton(program, w == Where.ANYWHERE ? program.search() : program.start()));
    }

    boolean full() {
      return here != null && here.full() || ahead != null && ahead.full();
    }
  }

  private Search(Pattern pattern) {
    this.pattern = pattern;
    Program found = null;
    Program asks = null;
    Program all = null;
    Literal literal = null;
    String begin = "";
    boolean bound = false;
    Optional<String> reason = Optional.empty();
    try {
      if (pattern.flags() != 0) {
        throw new UnsupportedPatternException("flags");
      }
      SyntaxParser.Read read = SyntaxParser.read(pattern.pattern());
      if (read.groups() != pattern.groupCount()) {
        throw new UnsupportedPatternException("groups");
      }
      found = Program.of(read, true);
      asks = Program.of(read, false);
      Syntax end = new At(Edge.TEXT_END);
      Syntax ended = new Sequence(List.of(read.syntax(), end));
      all = Program.of(new SyntaxParser.Read(ended, read.groups()), false);
      bound = isBound(read.syntax());
      begin = found.looksBack() ? "" : prefix(read.syntax());
      literal = searched(begin);
    } catch (UnsupportedPatternException e) {
      reason = Optional.of(e.getMessage());
    }
    this.finding = found;
    this.asked = asks;
    this.whole = all;
    this.prefix = literal;
    this.wholePrefix = begin.getBytes(StandardCharsets.UTF_8);
    this.anchored = bound;
    this.why = reason;
  }

  /** A search for a pattern that is compiled without flags. */
  public static Search of(Pattern pattern) {
    return new Search(pattern);
  }

  /** The pattern as it is written. */
  public String text() {
    return pattern.pattern();
  }

  /** How many groups it has, without the whole. */
  public int groups() {
    return pattern.groupCount();
  }

  /** What no automaton is made for, so that RE2/J searches; empty if one is. */
  public Optional<String> whyNoAutomaton() {
    return why;
  }

  /** Whether every match begins where the text begins. */
  private static boolean isBound(Syntax syntax) {
    if (syntax instanceof Sequence sequence) {
      return !sequence.parts().isEmpty() && isBound(sequence.parts().get(0));
    } else if (syntax instanceof Group group) {
      return isBound(group.inner());
    }
    return syntax instanceof At at && at.edge() == Edge.TEXT_BEGIN;
  }

  /** What every match begins with; may be empty. */
  private static String prefix(Syntax syntax) {
    StringBuilder begin = new StringBuilder();
    collect(syntax, begin);
    return begin.toString();
  }

  /** Returns whether more may come behind. */
  private static boolean collect(Syntax syntax, StringBuilder begin) {
    if (syntax instanceof Sequence sequence) {
      return sequence.parts().stream().allMatch(part -> collect(part, begin));
    } else if (syntax instanceof Group group) {
      return collect(group.inner(), begin);
    } else if (syntax instanceof OneOf one
        && one.ranges().length == 2
        && one.ranges()[0] == one.ranges()[1]) {
      begin.appendCodePoint(one.ranges()[0]);
      return true;
    }
    return false;
  }

  /** What is searched first: up to the first blank, of which a {@link Literal} takes several. */
  private static Literal searched(String begin) {
    String first = begin.split("[ \t]", 2)[0];
    return first.isEmpty() ? null : new Literal(first);
  }

  /**
   * Finds the first match in a text.
   *
   * @param groups takes begin and end of the whole match and of each group, -1 for one that takes
   *     no part; at least 2 + 2 * {@link #groups} long
   */
  public boolean find(byte[] data, int from, int to, int[] groups) {
    if (why.isPresent()) {
      return findSlowly(data, from, to, groups);
    }
    Machines mine = machines.get();
    boolean found =
        prefix != null
            ? findFromPrefix(mine, data, from, to, groups)
            : mine.here().run(data, from, to, groups)
                || !anchored && mine.ahead().run(data, from, to, groups);
    if (!mine.full() && (found || isUtf8(data, from, to))) {
      return found;
    }
    return findSlowly(data, from, to, groups);
  }

  private boolean findFromPrefix(Machines mine, byte[] data, int from, int to, int[] groups) {
    long patience = (long) PATIENCE * (to - from);
    int at = prefix.indexOf(data, from, to);
    while (at >= 0) {
      if (patience < 0) {
        return mine.ahead().run(data, at, to, groups);
      }
      if (hasPrefix(data, at, to)) {
        if (mine.here().run(data, at, to, groups)) {
          return true;
        }
        patience -= mine.here().read();
      }
      at = prefix.indexOf(data, at + 1, to);
    }
    return false;
  }

  private boolean hasPrefix(byte[] data, int at, int to) {
    if (to - at < wholePrefix.length) {
      return false;
    }
    for (int i = 0; i < wholePrefix.length; i++) {
      if (data[at + i] != wholePrefix[i]) {
        return false;
      }
    }
    return true;
  }

  /** Whether there is a match anywhere in a text. */
  public boolean isIn(byte[] data, int from, int to) {
    return is(Where.ANYWHERE, data, from, to);
  }

  /** Whether a text begins with a match. */
  public boolean begins(byte[] data, int from, int to) {
    return is(Where.AT_BEGIN, data, from, to);
  }

  /** Whether a text matches as a whole. */
  public boolean matches(byte[] data, int from, int to) {
    return is(Where.WHOLE, data, from, to);
  }

  private boolean is(Where where, byte[] data, int from, int to) {
    if (why.isEmpty()) {
      Automaton automaton = machines.get().asking(where);
      boolean is = automaton.run(data, from, to, NO_GROUPS);
      if (!automaton.full() && (is || isUtf8(data, from, to))) {
        return is;
      }
    }
    Matcher matcher = slow(data, from, to);
    return switch (where) {
      case ANYWHERE -> matcher.find();
      case AT_BEGIN -> matcher.lookingAt();
      case WHOLE -> matcher.matches();
    };
  }

  private static boolean isUtf8(byte[] data, int from, int to) {
    return Utf8.firstFault(data, from, to) < 0;
  }

  /** RE2/J does not always know what precedes a byte, so texts beyond ASCII are decoded for it. */
  private Matcher slow(byte[] data, int from, int to) {
    byte[] text = Arrays.copyOfRange(data, from, to);
    return isUtf8(data, from, to)
        ? pattern.matcher(new String(text, StandardCharsets.UTF_8))
        : pattern.matcher(text);
  }

  private boolean findSlowly(byte[] data, int from, int to, int[] groups) {
    Matcher matcher = slow(data, from, to);
    if (!matcher.find()) {
      return false;
    }
    boolean decoded = isUtf8(data, from, to);
    for (int i = 0; i <= 2 * pattern.groupCount() + 1; i++) {
      int at = i % 2 == 0 ? matcher.start(i / 2) : matcher.end(i / 2);
      groups[i] = at < 0 ? -1 : decoded ? after(data, from, at) : from + at;
    }
    return true;
  }

  /** The position behind some UTF-16 units of a UTF-8 text. */
  private static int after(byte[] data, int from, int units) {
    int at = from;
    for (int left = units; left > 0; left--) {
      int lead = data[at] & 0xFF;
      at += lead < 0x80 ? 1 : lead < 0xE0 ? 2 : lead < 0xF0 ? 3 : 4;
      left -= lead >= 0xF0 ? 1 : 0;
    }
    return at;
  }

  @Override
  public String toString() {
    return pattern.pattern();
  }
}
