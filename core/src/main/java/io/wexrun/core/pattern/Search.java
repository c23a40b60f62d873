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
import java.util.concurrent.atomic.AtomicReferenceArray;

/**
 * Searches UTF-8 texts for a pattern in RE2 syntax, with the results of RE2/J, but mostly with one
 * look at each byte. What no automaton is made for (Unicode classes, letters beyond ASCII without
 * case, repetitions of what may be empty), and texts that are not UTF-8, are left to RE2/J. Takes
 * time linear in the text. For several threads.
 */
public final class Search {
  /** How far searches from a literal may read in vain, in texts, before all is searched at once. */
  private static final int PATIENCE = 2;

  /** Where automata wait for a thread; a power of two. */
  private static final int PLACES = 8;

  private static final int[] NO_GROUPS = {};

  private final Pattern pattern;
  private final Optional<String> why;
  private final SyntaxParser.Read read;
  private final Literal prefix;
  private final byte[] wholePrefix;
  private final boolean anchored;
  private final AtomicReferenceArray<Machines> idle = new AtomicReferenceArray<>(PLACES);

  /** Where a match has to be. */
  private enum Where {
    ANYWHERE,
    AT_BEGIN,
    WHOLE
  }

  /** Automata that one thread uses at a time; each is made when it is needed first. */
  private final class Machines {
    private final Map<Where, Automaton> asking = new EnumMap<>(Where.class);
    private Automaton here;
    private Automaton ahead;

    Automaton here() {
      if (here == null) {
        Program program = program(read.syntax(), true);
        here = new Automaton(program, program.start());
      }
      return here;
    }

    Automaton ahead() {
      if (ahead == null) {
        Program program = program(read.syntax(), true);
        ahead = new Automaton(program, program.search());
      }
      return ahead;
    }

    Automaton asking(Where where) {
      Automaton known = asking.get(where);
      if (known == null) {
        Syntax end = new At(Edge.TEXT_END);
        Program program =
            where == Where.WHOLE
                ? program(new Sequence(List.of(read.syntax(), end)), false)
                : program(read.syntax(), false);
        known =
            new Automaton(program, where == Where.ANYWHERE ? program.search() : program.start());
        asking.put(where, known);
      }
      return known;
    }

    private Program program(Syntax syntax, boolean captures) {
      try {
        return Program.of(new SyntaxParser.Read(syntax, read.groups()), captures);
      } catch (UnsupportedPatternException e) {
        throw new IllegalStateException("it was made before", e);
      }
    }

    boolean full() {
      return here != null && here.full() || ahead != null && ahead.full();
    }
  }

  /** Automata that no other thread uses; they are given {@link #back}. */
  private Machines take() {
    Machines known = idle.getAndSet(place(), null);
    return known == null ? new Machines() : known;
  }

  private void back(Machines machines) {
    idle.set(place(), machines);
  }

  private static int place() {
    return (int) Thread.currentThread().getId() & PLACES - 1;
  }

  private Search(Pattern pattern) {
    this.pattern = pattern;
    SyntaxParser.Read parsed = null;
    Literal literal = null;
    String begin = "";
    boolean bound = false;
    Optional<String> reason = Optional.empty();
    try {
      if (pattern.flags() != 0) {
        throw new UnsupportedPatternException("flags");
      }
      parsed = SyntaxParser.read(pattern.pattern());
      if (parsed.groups() != pattern.groupCount()) {
        throw new UnsupportedPatternException("groups");
      }
      Program program = Program.of(parsed, true); // It may be too large.
      bound = isBound(parsed.syntax());
      begin = program.looksBack() ? "" : prefix(parsed.syntax());
      literal = searched(begin);
    } catch (UnsupportedPatternException e) {
      reason = Optional.of(e.getMessage());
    }
    this.read = parsed;
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
    Machines mine = take();
    boolean found =
        prefix != null
            ? findFromPrefix(mine, data, from, to, groups)
            : mine.here().run(data, from, to, groups)
                || !anchored && mine.ahead().run(data, from, to, groups);
    boolean full = mine.full();
    back(mine);
    if (!full && (found || isUtf8(data, from, to))) {
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
      Machines mine = take();
      Automaton automaton = mine.asking(where);
      boolean is = automaton.run(data, from, to, NO_GROUPS);
      boolean full = automaton.full();
      back(mine);
      if (!full && (is || isUtf8(data, from, to))) {
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
