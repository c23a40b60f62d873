package io.wexrun.core.run;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.tally.TallyStore;
import io.wexrun.core.target.Target;
import java.util.HashMap;
import java.util.Map;

/**
 * What one pipeline runs with.
 *
 * @param pipeline its definition
 * @param shaper the definition, compiled
 * @param intake opened; the run assigns what it finds, and closes it
 * @param channel opened at the positions of the tally; the run closes it
 * @param targets opens the shaper's targets and the dead letters; the run closes them
 * @param tally where the run accounts
 * @param renewal gives it another shaper while it goes on
 * @param resumed whether a person let the pipeline continue after too many of its records died: the
 *     first ones that are accounted for may exceed the limit
 */
public record RunParts(
    Pipeline pipeline,
    Shaper shaper,
    Intake intake,
    Channel channel,
    TargetOpener targets,
    TallyStore tally,
    Renewal renewal,
    boolean resumed) {
  /** Parts whose shaper stays. */
  public RunParts(
      Pipeline pipeline,
      Shaper shaper,
      Intake intake,
      Channel channel,
      TargetOpener targets,
      TallyStore tally) {
    this(pipeline, shaper, intake, channel, targets, tally, Renewal.NONE);
  }

  /** Parts of a pipeline that nobody has resumed. */
  public RunParts(
      Pipeline pipeline,
      Shaper shaper,
      Intake intake,
      Channel channel,
      TargetOpener targets,
      TallyStore tally,
      Renewal renewal) {
    this(pipeline, shaper, intake, channel, targets, tally, renewal, false);
  }

  /** Opens all targets, or none if one fails. */
  Map<String, Target> openTargets() {
    return openTargets(pipeline, shaper, targets, tally);
  }

  /**
   * Opens the targets of a pipeline, its dead letters among them; or none if one fails.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if one cannot be opened; a {@linkplain
   *     io.wexrun.core.diagnose.OutsideException#lasting lasting} one if one is behind the tally
   */
  public static Map<String, Target> openTargets(
      Pipeline pipeline, Shaper shaper, TargetOpener opener, TallyStore tally) {
    Setback.Known known = Setback.Known.of(pipeline.name(), tally);
    Map<String, Target> open = new HashMap<>();
    try {
      open.put(Route.DEAD, opener.open(Route.DEAD, pipeline.name()));
      for (String name : shaper.targets()) {
        open.put(name, opener.open(name, pipeline.name()));
      }
      Setback.requireNone(pipeline.name(), known, tally, open);
      return open;
    } catch (RuntimeException e) {
      open.values().forEach(Target::close);
      throw e;
    }
  }
}
