package io.wexrun.core.intake;

import io.wexrun.core.identity.Identity;
import java.util.Optional;

/**
 * A source partition that an intake has found.
 *
 * @param partition which one
 * @param identity who it is; empty if nothing tells it from another of its name. It may grow more
 *     exact as the source grows
 * @param start where it begins if it was never taken from
 */
public record Source(SourcePartition partition, Optional<Identity> identity, long start) {}
