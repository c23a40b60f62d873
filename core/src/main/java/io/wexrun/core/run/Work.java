package io.wexrun.core.run;

import io.wexrun.core.shape.Effort;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/**
 * What a run has done in each place since it began, and how long each took: times of threads, of
 * which several work at once.
 *
 * @param places the intake, the steps by their paths, and the route, in order
 * @param targets the tables and queues, and the dead letters
 */
public record Work(Map<String, Effort> places, Map<String, TargetWork> targets) {
  /** Nothing yet. */
  public static final Work NONE = new Work(Map.of(), Map.of());

  /** The place of the intake. */
  public static final String INTAKE = "intake";

  /** Copies the maps. */
  public Work {
    places = Collections.unmodifiableMap(new LinkedHashMap<>(places));
    targets = Collections.unmodifiableMap(new LinkedHashMap<>(targets));
  }

  /** The sum of two. */
  public Work plus(Work other) {
    Map<String, Effort> allPlaces = new LinkedHashMap<>(places);
    other.places.forEach((place, effort) -> allPlaces.merge(place, effort, Effort::plus));
    Map<String, TargetWork> allTargets = new LinkedHashMap<>(targets);
    other.targets.forEach((target, work) -> allTargets.merge(target, work, TargetWork::plus));
    return new Work(allPlaces, allTargets);
  }

  /** All time, in nanoseconds. */
  public long nanos() {
    return Stream.concat(
            places.values().stream().map(Effort::nanos),
            targets.values().stream().map(TargetWork::nanos))
        .mapToLong(Long::longValue)
        .sum();
  }

  /** The place or the target that took the most time; empty if nothing was done. */
  public Optional<String> slowest() {
    Map<String, Long> nanos = new LinkedHashMap<>();
    places.forEach((place, effort) -> nanos.put(place, effort.nanos()));
    targets.forEach((target, work) -> nanos.merge("-> " + target, work.nanos(), Long::sum));
    return nanos.entrySet().stream()
        .filter(each -> each.getValue() > 0)
        .max(Map.Entry.comparingByValue())
        .map(Map.Entry::getKey);
  }
}
