package io.wexrun.project.facts;

import java.time.Instant;
import java.util.Map;
import java.util.Optional;

/**
 * Dead letters that somebody chose to replay, or to give up, and what has become of them.
 *
 * @param number from 1, over all pipelines
 * @param pipeline whose letters they are
 * @param kind {@code replay}, {@code edit} or {@code drop}
 * @param chosen which ones
 * @param by the name of the user who chose them
 * @param begun when
 * @param ended when all was done; empty if something is left
 * @param letters how many were chosen
 * @param revived how many have passed into targets
 * @param dropped how many the pipeline, or who gave them up, has dropped
 * @param loaded rows that are in targets by them
 */
public record ReplayFacts(
    long number,
    String pipeline,
    String kind,
    DeadFilter chosen,
    String by,
    Instant begun,
    Optional<Instant> ended,
    long letters,
    long revived,
    long dropped,
    Map<String, Long> loaded) {
  /** How many have died again; 0 as long as it has not ended, for then that is not known. */
  public long diedAgain() {
    return ended.isPresent() ? letters - revived - dropped : 0;
  }
}
