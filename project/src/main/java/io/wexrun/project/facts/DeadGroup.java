package io.wexrun.project.facts;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import java.time.Instant;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Dead letters of a pipeline that are alike: they died of one reason, in one step, at one field,
 * and what was told of them is the same but for values, numbers and ids.
 *
 * @param pipeline its name
 * @param kind why they died
 * @param count how many there are
 * @param first when the first one died
 * @param last when the last one died
 * @param example the first one
 */
public record DeadGroup(
    String pipeline, Kind kind, long count, Instant first, Instant last, KeptLetter example) {
  /**
   * What letters of a group have in common.
   *
   * @param reason why they died
   * @param step the step that rejected them, or the target that refused them
   * @param field the field at fault; empty if none
   * @param pattern what was told of them, see {@link DeadLetter.Death#pattern}; {@code …} for all
   *     others where there are very many
   */
  public record Kind(Reason reason, String step, String field, String pattern) {
    /** What a death has in common with those alike. */
    public static Kind of(DeadLetter.Death death) {
      return new Kind(death.reason(), death.step(), death.field(), death.pattern());
    }

    Kind withoutPattern() {
      return new Kind(reason, step, field, "…");
    }
  }

  /** Sums up the letters of one pipeline. For one thread. */
  public static final class Sums {
    private static final int MOST = 1000;

    private final Map<Kind, DeadGroup> groups = new LinkedHashMap<>();

    /** Adds a letter. */
    public void add(KeptLetter letter) {
      Kind kind = Kind.of(letter.letter().death());
      if (groups.size() >= MOST && !groups.containsKey(kind)) {
        kind = kind.withoutPattern();
      }
      groups.merge(
          kind,
          new DeadGroup(letter.pipeline(), kind, 1, letter.died(), letter.died(), letter),
          DeadGroup::and);
    }

    /** The groups, the largest first. */
    public List<DeadGroup> largestFirst() {
      return groups.values().stream()
          .sorted(Comparator.comparingLong(DeadGroup::count).reversed())
          .toList();
    }
  }

  /** Both together, with what this one has in common. */
  public DeadGroup and(DeadGroup other) {
    return new DeadGroup(
        pipeline,
        kind,
        count + other.count,
        first.isBefore(other.first) ? first : other.first,
        last.isAfter(other.last) ? last : other.last,
        example);
  }
}
