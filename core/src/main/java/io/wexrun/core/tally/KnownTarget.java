package io.wexrun.core.tally;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import java.util.Map;
import java.util.Optional;

/**
 * What the tally knows of a target of a pipeline.
 *
 * @param name the target's
 * @param identity who it was when it was opened last; empty if it had none
 * @param reached of each source partition the position behind the last record of which the target
 *     committed a row that is in the tally: its progress cannot be less; those of which it never
 *     got a row are not there
 */
public record KnownTarget(
    String name, Optional<Identity> identity, Map<SourcePartition, Long> reached) {
  /** Copies the map. */
  public KnownTarget {
    reached = Map.copyOf(reached);
  }
}
