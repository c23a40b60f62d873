package io.wexrun.project.facts;

import java.util.List;
import java.util.Optional;

/**
 * What would become of dead letters that are alike, if they were replayed now. What a store refuses
 * is not known before.
 *
 * @param was why they died
 * @param targets where their rows would go, in order; none if they would be dropped or die
 * @param dies why they would die again; empty if they would not
 * @param count how many there are
 * @param example one of them
 */
public record ReplayForecast(
    DeadGroup.Kind was,
    List<String> targets,
    Optional<DeadGroup.Kind> dies,
    long count,
    KeptLetter.Place example) {
  /** Whether they would be dropped. */
  public boolean drops() {
    return targets.isEmpty() && dies.isEmpty();
  }

  /** Both together, with the example of this one. */
  public ReplayForecast and(ReplayForecast other) {
    return new ReplayForecast(was, targets, dies, count + other.count, example);
  }
}
