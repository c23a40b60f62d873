package io.wexrun.project.facts;

import java.time.Instant;
import java.util.Optional;

/**
 * A run of a pipeline, from one start to the next end.
 *
 * @param pipeline which one
 * @param why it was started, in a few words
 * @param started when
 * @param ended when; empty if it goes on, or its process was killed
 * @param how {@code running}, {@code drained}, {@code stopped}, {@code paused}, {@code changed},
 *     {@code failed}, {@code held} if it waits until a person lets it continue, or {@code killed}
 *     if its process ended before it
 * @param taken records taken by it; 0 as long as it runs, or if it was killed
 * @param loaded rows committed by it, in the same way
 * @param dead dead letters of it, in the same way
 * @param detail why it failed; may be empty
 */
public record RunFacts(
    String pipeline,
    String why,
    Instant started,
    Optional<Instant> ended,
    String how,
    long taken,
    long loaded,
    long dead,
    String detail) {}
