package io.wexrun.core.pattern;

import io.wexrun.core.pattern.Syntax.At;
import io.wexrun.core.pattern.Syntax.Edge;
import io.wexrun.core.pattern.Syntax.Either;
import io.wexrun.core.pattern.Syntax.Group;
import io.wexrun.core.pattern.Syntax.OneOf;
import io.wexrun.core.pattern.Syntax.Repeated;
import io.wexrun.core.pattern.Syntax.Sequence;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/**
 * A pattern as steps of a machine that reads bytes: Thompson's construction, with the order in
 * which ways are tried. Immutable once made.
 *
 * @see <a href="https://swtch.com/~rsc/regexp/regexp2.html">Regular Expression Matching: the
 *     Virtual Machine Approach</a>
 */
final class Program {
  /** A step. */
  sealed interface Step {
    /** The end: it matches. */
    record Match() implements Step {}

    /** Takes one byte of a set. */
    record Take(BitSet bytes, int next) implements Step {}

    /** Two ways, the first one rather. */
    record Fork(int first, int second) implements Step {}

    /** Notes the position in a slot. */
    record Note(int slot, int next) implements Step {}

    /** Goes on where something holds. */
    record Check(Edge edge, int next) implements Step {}
  }

  private static final int MOST_STEPS = 20_000;
  private static final int MATCH = 0;
  private static final int TAIL_FIRST = 0x80;
  private static final int TAIL_LAST = 0xBF;

  private final List<Step> steps = new ArrayList<>();
  private final Map<Step, Integer> known = new HashMap<>();
  private final boolean captures;
  private final int start;
  private final int search;
  private final int slots;

  private Program(SyntaxParser.Read read, boolean captures) throws UnsupportedPatternException {
    this.captures = captures;
    this.slots = captures ? 2 * read.groups() + 2 : 0;
    steps.add(new Step.Match());
    int end = captures ? add(new Step.Note(1, MATCH)) : MATCH;
    int begin = make(read.syntax(), end);
    this.start = captures ? add(new Step.Note(0, begin)) : begin;
    this.search = add(new Step.Match()); // Its place: the steps behind lead back to it.
    steps.set(search, new Step.Fork(start, one(new int[] {0, Ranges.LAST}, search)));
  }

  /**
   * The program of a pattern.
   *
   * @param captures whether it notes where groups are
   */
  static Program of(SyntaxParser.Read read, boolean captures) throws UnsupportedPatternException {
    return new Program(read, captures);
  }

  Step step(int number) {
    return steps.get(number);
  }

  int size() {
    return steps.size();
  }

  /** The first step. */
  int start() {
    return start;
  }

  /** Whether it depends on what is before where it begins. */
  boolean looksBack() {
    return steps.stream()
        .anyMatch(
            step ->
                step instanceof Step.Check check
                    && check.edge() != Edge.TEXT_END
                    && check.edge() != Edge.LINE_END);
  }

  /** The first step of a search, which rather begins here than later. */
  int search() {
    return search;
  }

  /** How many positions are noted: two for each group, and for the whole. */
  int slots() {
    return slots;
  }

  private int add(Step step) throws UnsupportedPatternException {
    if (steps.size() >= MOST_STEPS) {
      throw new UnsupportedPatternException("a size of more than " + MOST_STEPS + " steps");
    }
    steps.add(step);
    return steps.size() - 1;
  }

  /** A step that may be shared by all that lead to it. */
  private int shared(Step step) throws UnsupportedPatternException {
    Integer number = known.get(step);
    if (number == null) {
      number = add(step);
      known.put(step, number);
    }
    return number;
  }

  /** Makes the steps of a part. */
  private int make(Syntax part, int next) throws UnsupportedPatternException {
    if (part instanceof OneOf one) {
      return one(one.ranges(), next);
    } else if (part instanceof At at) {
      return add(new Step.Check(at.edge(), next));
    } else if (part instanceof Sequence sequence) {
      int at = next;
      for (int i = sequence.parts().size() - 1; i >= 0; i--) {
        at = make(sequence.parts().get(i), at);
      }
      return at;
    } else if (part instanceof Either either) {
      int at = make(either.ways().get(either.ways().size() - 1), next);
      for (int i = either.ways().size() - 2; i >= 0; i--) {
        at = add(new Step.Fork(make(either.ways().get(i), next), at));
      }
      return at;
    } else if (part instanceof Group group) {
      if (!captures) {
        return make(group.inner(), next);
      }
      int end = add(new Step.Note(2 * group.number() + 1, next));
      return add(new Step.Note(2 * group.number(), make(group.inner(), end)));
    }
    return repeated((Repeated) part, next);
  }

  private int repeated(Repeated part, int next) throws UnsupportedPatternException {
    int at = next;
    int least = part.least();
    if (part.most() < 0) {
      int loop = add(new Step.Match()); // Its place; what it is depends on what comes.
      int body = make(part.inner(), loop);
      steps.set(loop, fork(part.greedy(), body, next));
      if (least == 0) {
        return loop;
      }
      at = body;
      least--;
    } else {
      for (int i = part.most(); i > least; i--) {
        at = add(fork(part.greedy(), make(part.inner(), at), next));
      }
    }
    for (int i = 0; i < least; i++) {
      at = make(part.inner(), at);
    }
    return at;
  }

  private static Step fork(boolean greedy, int body, int next) {
    return greedy ? new Step.Fork(body, next) : new Step.Fork(next, body);
  }

  private int one(int[] ranges, int next) throws UnsupportedPatternException {
    BitSet single = new BitSet(256);
    List<Integer> ways = new ArrayList<>();
    for (int i = 0; i < ranges.length; i += 2) {
      int first = ranges[i];
      if (first < 0x80) {
        single.set(first, Math.min(ranges[i + 1], 0x7F) + 1);
      }
      first = Math.max(first, 0x80);
      for (int bits : new int[] {11, 16, 21}) {
        int last = Math.min(ranges[i + 1], bits == 21 ? Ranges.LAST : (1 << bits) - 1);
        if (first <= last) {
          several(first, last, bits == 11 ? 2 : bits == 16 ? 3 : 4, next, ways);
          first = last + 1;
        }
      }
    }
    if (!single.isEmpty()) {
      ways.add(0, shared(new Step.Take(single, next)));
    }
    if (ways.isEmpty()) {
      return shared(new Step.Take(new BitSet(), next)); // Nothing fits.
    }
    int at = ways.get(ways.size() - 1);
    for (int i = ways.size() - 2; i >= 0; i--) {
      at = shared(new Step.Fork(ways.get(i), at));
    }
    return at;
  }

  /** Code points of a range that have the same number of bytes in UTF-8. */
  private void several(int first, int last, int bytes, int next, List<Integer> ways)
      throws UnsupportedPatternException {
    for (int tail = 1; tail < bytes; tail++) {
      int mask = (1 << 6 * tail) - 1;
      if ((first & ~mask) != (last & ~mask)) {
        if ((first & mask) != 0) {
          several(first, first | mask, bytes, next, ways);
          several((first | mask) + 1, last, bytes, next, ways);
          return;
        }
        if ((last & mask) != mask) {
          several(first, (last & ~mask) - 1, bytes, next, ways);
          several(last & ~mask, last, bytes, next, ways);
          return;
        }
      }
    }
    int at = next;
    for (int place = 0; place < bytes; place++) {
      int shift = 6 * place;
      int head = place == bytes - 1 ? 0xF0 << (4 - bytes) & 0xFF : TAIL_FIRST;
      int bits = place == bytes - 1 ? 0xFF : TAIL_LAST - TAIL_FIRST;
      BitSet set = new BitSet(256);
      set.set(head | first >> shift & bits, (head | last >> shift & bits) + 1);
      at = shared(new Step.Take(set, at));
    }
    ways.add(at);
  }
}
