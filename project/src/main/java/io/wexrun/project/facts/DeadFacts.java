package io.wexrun.project.facts;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import java.util.function.Predicate;

/**
 * The dead letters of a pipeline with one reason.
 *
 * @param pipeline its name
 * @param reason why they died
 * @param count how many there are
 * @param example the first one
 */
public record DeadFacts(String pipeline, Reason reason, long count, DeadLetter example) {
  /**
   * Sums up dead letters by reason, the most frequent first.
   *
   * @param letters hands each one to who asks, who says whether it wants another
   */
  public static List<DeadFacts> of(String pipeline, Consumer<Predicate<DeadLetter>> letters) {
    Map<Reason, DeadFacts> sums = new EnumMap<>(Reason.class);
    letters.accept(
        letter -> {
          sums.merge(
              letter.reason(),
              new DeadFacts(pipeline, letter.reason(), 1, letter),
              (sum, one) -> new DeadFacts(pipeline, sum.reason, sum.count + 1, sum.example));
          return true;
        });
    return sums.values().stream()
        .sorted(Comparator.comparingLong(DeadFacts::count).reversed())
        .toList();
  }
}
