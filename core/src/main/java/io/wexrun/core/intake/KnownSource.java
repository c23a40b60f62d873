package io.wexrun.core.intake;

import io.wexrun.core.identity.Identity;
import java.util.Optional;

/**
 * What the state knows of a source partition that was taken from before.
 *
 * @param partition which one
 * @param identity who it was when it was taken from last; empty if it had none
 * @param position where it goes on: behind everything that is accounted for
 */
public record KnownSource(SourcePartition partition, Optional<Identity> identity, long position) {}
