package io.wexrun.core.pattern;

import java.util.List;

/** A regular expression as a tree. Immutable. */
sealed interface Syntax {
  /** What holds between two bytes. */
  enum Edge {
    TEXT_BEGIN,
    TEXT_END,
    LINE_BEGIN,
    LINE_END,
    WORD_EDGE,
    NO_WORD_EDGE
  }

  /** One character of some ranges: pairs of first and last code point, sorted, not overlapping. */
  record OneOf(int[] ranges) implements Syntax {}

  /** A place where something holds. */
  record At(Edge edge) implements Syntax {}

  /** One after the other; none is the empty text. */
  record Sequence(List<Syntax> parts) implements Syntax {}

  /** One of several, the earlier ones rather. */
  record Either(List<Syntax> ways) implements Syntax {}

  /**
   * Repeated.
   *
   * @param most how often at most; -1 for any number
   * @param greedy whether rather more often
   */
  record Repeated(Syntax inner, int least, int most, boolean greedy) implements Syntax {}

  /** A group that captures, counted from 1. */
  record Group(Syntax inner, int number) implements Syntax {}

  /** The empty text. */
  Syntax NOTHING = new Sequence(List.of());

  /** Whether it matches the empty text somewhere. */
  default boolean empty() {
    if (this instanceof Sequence sequence) {
      return sequence.parts().stream().allMatch(Syntax::empty);
    } else if (this instanceof Either either) {
      return either.ways().stream().anyMatch(Syntax::empty);
    } else if (this instanceof Repeated repeated) {
      return repeated.least() == 0 || repeated.inner().empty();
    } else if (this instanceof Group group) {
      return group.inner().empty();
    }
    return this instanceof At;
  }
}
