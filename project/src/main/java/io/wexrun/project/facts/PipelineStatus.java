package io.wexrun.project.facts;

import io.wexrun.core.run.Progress;
import io.wexrun.core.run.Situation;
import io.wexrun.core.run.Work;
import java.time.Instant;
import java.util.Optional;

/**
 * How a pipeline of a run stands.
 *
 * @param pipeline its name
 * @param state what it does
 * @param since since when
 * @param why it does not run, in words; empty if it does
 * @param next when it is started again; empty if that is not known
 * @param failures how often it has failed since the run began
 * @param rate records taken a second, over the last ten seconds
 * @param progress what it has done since the run began
 * @param situation how it stands between its source and its targets
 * @param work what it has done in each place since the run began
 */
public record PipelineStatus(
    String pipeline,
    State state,
    Instant since,
    Optional<String> why,
    Optional<Instant> next,
    long failures,
    double rate,
    Progress progress,
    Situation situation,
    Work work) {
  /** What a pipeline of a run does. */
  public enum State {
    /** It is being started: its intake and what it has left of an earlier run are looked at. */
    STARTING,
    /** It takes in and delivers. */
    RUNNING,
    /** It runs, but cannot take in or deliver for now, and tries again. */
    WAITING,
    /** It waits for its time, or for others. */
    SLEEPING,
    /** It has failed, and is started again. */
    FAILED,
    /** Somebody has told it to wait. */
    PAUSED,
    /** It has ended: drained, stopped or failed for good. */
    ENDED
  }
}
