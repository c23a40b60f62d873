package io.wexrun.project.check;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.time.Schedule;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;

/** Checks when pipelines are started: their times, and whom they come after. */
final class StartCheck {
  private static final KeyPath START = KeyPath.ROOT.key("start");

  private final Predicate<Pipeline> chooses;
  private final Map<String, Pipeline> pipelines = new LinkedHashMap<>();

  /**
   * A check.
   *
   * @param chooses whether a pipeline's intake has files that can be looked at beforehand
   */
  StartCheck(List<Pipeline> all, Predicate<Pipeline> chooses) {
    this.chooses = chooses;
    all.forEach(pipeline -> pipelines.put(pipeline.name(), pipeline));
  }

  void check(Pipeline pipeline, Diagnostics at) {
    try {
      new Schedule(pipeline.start());
    } catch (IllegalArgumentException e) {
      at.error(
          "bad-value",
          START.key("cron"),
          "'"
              + pipeline.start().cron().orElse("")
              + "' is not a cron expression: "
              + e.getMessage(),
          Optional.of("five fields: minute, hour, day, month, day of the week; '30 2 * * *'"));
    }
    for (String before : pipeline.start().after()) {
      Pipeline other = pipelines.get(before);
      if (other == null) {
        at.error(
            "unknown-pipeline",
            START.key("after"),
            "there is no pipeline '" + before + "'",
            Diagnostics.nearest(before, pipelines.keySet()));
      } else if (!other.start().isPlanned()) {
        at.error(
            "bad-value",
            START.key("after"),
            before + " goes on as long as the run, so nothing comes after it",
            Optional.of("give it a start of its own"));
      }
    }
    if (pipeline.start().arrivals().isPresent() && !chooses.test(pipeline)) {
      at.error(
          "wrong-form",
          START.key("arrivals"),
          "its intake takes " + pipeline.intake().kind() + ", and no files that come",
          Optional.of("start it with every: 10s"));
    }
    List<String> circle = circle(pipeline.name(), new ArrayList<>());
    if (!circle.isEmpty()) {
      at.error(
          "circle",
          START.key("after"),
          "it waits for itself: " + String.join(" after ", circle),
          Optional.of("let one of them be started by time"));
    }
  }

  /** The way from a pipeline back to itself; empty if there is none. */
  private List<String> circle(String name, List<String> way) {
    List<String> longer = new ArrayList<>(way);
    longer.add(name);
    if (way.contains(name)) {
      return way.get(0).equals(name) ? longer : List.of();
    }
    Pipeline pipeline = pipelines.get(name);
    List<String> after = pipeline == null ? List.of() : pipeline.start().after();
    return after.stream()
        .map(before -> circle(before, longer))
        .filter(found -> !found.isEmpty())
        .findFirst()
        .orElse(List.of());
  }
}
