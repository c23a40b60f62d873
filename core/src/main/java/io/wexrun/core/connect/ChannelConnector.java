package io.wexrun.core.connect;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.util.Map;

/** Opens channels of one kind that outlive a run. */
public interface ChannelConnector extends Connector {
  /**
   * Checks settings without opening anything; unknown keys are found by the caller.
   *
   * @param path where the settings stand
   */
  void check(Settings settings, KeyPath path, Diagnostics diagnostics);

  /**
   * Opens the channel of a pipeline, making it if it is not there. Whoever opens it closes it.
   *
   * @param accounted the positions of the tally
   * @throws io.wexrun.core.diagnose.OutsideException if another process has it, or it is damaged
   */
  Channel open(String pipeline, Settings settings, Site site, Map<SourcePartition, Long> accounted);

  /**
   * Opens a channel that a pipeline has left, only to take what it holds.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if another process has it, or it is damaged
   */
  Channel openLeft(String pipeline, Site site, Map<SourcePartition, Long> accounted);

  /** Whether a pipeline has such a channel, in use or left. */
  boolean exists(String pipeline, Site site);

  /**
   * How many records a pipeline's channel holds, 0 if there is none; also while another process has
   * it.
   */
  long held(String pipeline, Site site, Map<SourcePartition, Long> accounted);

  /**
   * Removes the channel of a pipeline with everything in it; nothing if there is none.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if another process has it
   */
  void remove(String pipeline, Site site);
}
