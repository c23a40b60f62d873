package io.wexrun.core.target;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import java.util.Map;
import java.util.Optional;

/**
 * How a target stands for one pipeline: who it is, and what it has of the pipeline's rows.
 *
 * @param identity who it is; empty if it is not there, or nothing tells it from another of its name
 * @param progress how far each source partition has got, as committed
 * @param rows how many rows of a source partition are committed, as far as the target counts them
 */
public record Standing(
    Optional<Identity> identity,
    Map<SourcePartition, Long> progress,
    Map<SourcePartition, Long> rows) {
  /** Of a target that is not there. */
  public static final Standing ABSENT = new Standing(Optional.empty(), Map.of(), Map.of());

  /** Copies the maps. */
  public Standing {
    progress = Map.copyOf(progress);
    rows = Map.copyOf(rows);
  }
}
