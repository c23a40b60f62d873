package io.wexrun.core.run;

import io.wexrun.core.shape.Effort;
import java.util.LinkedHashMap;
import java.util.Map;

/** Adds up what a run does. For several threads. */
final class WorkSheet {
  private final Map<String, Effort> places = new LinkedHashMap<>();
  private final Map<String, TargetWork> targets = new LinkedHashMap<>();
  private long reading;

  WorkSheet() {
    places.put(Work.INTAKE, Effort.NONE);
  }

  /** The intake has handed out a block. */
  synchronized void read(long nanos) {
    reading += nanos;
  }

  /** A block was shaped. */
  synchronized void shaped(Map<String, Effort> efforts) {
    efforts.forEach((place, effort) -> places.merge(place, effort, Effort::plus));
  }

  /** A flush was committed. */
  synchronized void committed(String target, TargetWork work) {
    targets.merge(target, work, TargetWork::plus);
  }

  /** All that was done. */
  synchronized Work sum() {
    Map<String, Effort> all = new LinkedHashMap<>(places);
    all.merge(Work.INTAKE, new Effort(0, 0, 0, 0, reading), Effort::plus);
    return new Work(all, targets);
  }
}
