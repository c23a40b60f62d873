package io.wexrun.project.run;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.open.Snapshot;
import java.time.Instant;
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
   * A pipeline as it is started.
   *
   * @param values of its parameters that its start gives
   */
  record Started(Pipeline pipeline, Map<String, String> values) {
    /** Whether it is another one at each start. */
    public boolean varies() {
      return !values.isEmpty();
    }
  }

  /**
   * A pipeline with the values that its start gives to its parameters.
   *
   * @param now when it is started
   * @throws io.wexrun.core.diagnose.OutsideException if one of them does not fit
   */
  Started started(Pipeline pipeline, Instant now);

  /**
   * Compiles a pipeline with what it looked up once.
   *
   * @param versions of the files, by their names
   * @param tables those that are to be as they were then
   */
  Compiled asKept(Pipeline pipeline, Map<String, String> versions, Map<String, Table> tables);
}
