package io.wexrun.project.run;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.open.Snapshot;
import java.util.Map;

/** Compiles pipelines with what they look up. */
public interface Compiling {
  /**
   * A pipeline, compiled.
   *
   * @param references what it looks up, by which its version is known
   * @param tables those that it loads, in the order of its route
   */
  record Compiled(Shaper shaper, Snapshot references, Map<String, Table> tables) {}

  /**
   * Compiles a pipeline with what it looks up as that is now.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if that cannot be read, or does not fit
   */
  Compiled now(Pipeline pipeline);

  /**
   * Compiles a pipeline with what it looked up once.
   *
   * @param versions of the files, by their names
   * @param tables those that are to be as they were then
   */
  Compiled asKept(Pipeline pipeline, Map<String, String> versions, Map<String, Table> tables);
}
