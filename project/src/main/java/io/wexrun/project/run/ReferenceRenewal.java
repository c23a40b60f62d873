package io.wexrun.project.run;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Renewal;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.open.Snapshot;
import io.wexrun.state.WorkspaceState;
import java.time.Duration;
import java.util.List;
import java.util.function.Consumer;

/**
 * Takes up files that a pipeline looks up when they change. While they cannot be read, or do not
 * fit any more, the last good version goes on, and that is told. For the delivery's thread.
 */
public final class ReferenceRenewal implements Renewal {
  private static final long LOOK_AGAIN = Duration.ofSeconds(1).toNanos();

  private final Pipeline pipeline;
  private final Compiling compiling;
  private final WorkspaceState state;
  private final Consumer<String> notices;
  private Snapshot current;
  private long looked = System.nanoTime();
  private String told = "";

  /**
   * Renews a pipeline's shaper.
   *
   * @param current what it looks up so far, kept
   * @param notices is told what a user should know
   */
  public ReferenceRenewal(
      Pipeline pipeline,
      Compiling compiling,
      WorkspaceState state,
      Snapshot current,
      Consumer<String> notices) {
    this.pipeline = pipeline;
    this.compiling = compiling;
    this.state = state;
    this.current = current;
    this.notices = notices;
  }

  @Override
  public boolean due() {
    long now = System.nanoTime();
    if (now - looked < LOOK_AGAIN) {
      return false;
    }
    looked = now;
    List<String> unreadable = current.unreadable();
    if (!unreadable.isEmpty()) {
      tell("cannot read " + String.join(", ", unreadable) + "; it goes on with what was read last");
    }
    return current.changed();
  }

  @Override
  public Shaper renew(Shaper shaper) {
    try {
      Compiling.Compiled compiled = compiling.now(pipeline);
      compiled.references().keep();
      String text = PipelineText.of(pipeline, compiled);
      String version = state.texts().keep(pipeline.name(), text).version();
      current = compiled.references();
      told = "";
      notices.accept(
          "goes on with " + String.join(", ", current.versions().keySet()) + " as changed");
      return compiled.shaper().withVersion(version);
    } catch (OutsideException e) {
      tell("goes on with what was read before: " + e.getMessage());
      return shaper;
    }
  }

  private void tell(String what) {
    if (!told.equals(what)) {
      told = what;
      notices.accept(what);
    }
  }
}
