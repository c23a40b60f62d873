package io.wexrun.state;

import io.wexrun.core.tally.Corrections;
import io.wexrun.core.tally.TallyStore;

/**
 * The durable state of a workspace. For several threads, and for several processes at once.
 *
 * <p>The state is written behind the targets: what it says is done has been committed by them.
 */
public interface WorkspaceState extends AutoCloseable {
  /** The books and positions of all pipelines. */
  TallyStore tally();

  /** Corrections of the books. */
  Corrections corrections();

  /** The texts with which pipelines ran. */
  PipelineTexts texts();

  /** What people did with the workspace. */
  History history();

  /** Which dead letters were chosen to be replayed, or given up. */
  Replays replays();

  /** Which pipelines are built again. */
  Rebuilds rebuilds();

  /** Which pipelines ran when. */
  RunHistory runs();

  /**
   * Holds a pipeline for this process, so that no second one runs it. It is held until the hold is
   * closed or the process ends, however it ends.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if another process holds it; the message names
   *     it
   */
  Hold hold(String pipeline);

  /** Whether some process holds a pipeline, this one included. */
  boolean isHeld(String pipeline);

  @Override
  void close();
}
