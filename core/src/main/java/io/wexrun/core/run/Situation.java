package io.wexrun.core.run;

import io.wexrun.core.intake.Backlog;
import java.time.Instant;
import java.util.Optional;

/**
 * How a pipeline's run stands between its source and its targets.
 *
 * @param backlog how far it is behind its source; empty if its intake does not know
 * @param channel how full its channel is, from 0 to 1
 * @param buffers how near the fullest buffer is to its flush by rows or bytes, from 0 to 1
 * @param oldest when the oldest record was taken that is not accounted for; empty if none is held
 */
public record Situation(
    Optional<Backlog> backlog, double channel, double buffers, Optional<Instant> oldest) {
  /** Nothing is held, and nothing is known of the source. */
  public static final Situation NONE = new Situation(Optional.empty(), 0, 0, Optional.empty());
}
