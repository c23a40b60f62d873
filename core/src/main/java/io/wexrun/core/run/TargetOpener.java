package io.wexrun.core.run;

import io.wexrun.core.target.Target;

/** Opens the targets of a pipeline, anew for each delivery. */
@FunctionalInterface
public interface TargetOpener {
  /**
   * Opens a target.
   *
   * @param name a table, a queue, or {@link io.wexrun.core.pipeline.Route#DEAD}
   * @param writer under which name the target keeps the progress
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened
   */
  Target open(String name, String writer);
}
