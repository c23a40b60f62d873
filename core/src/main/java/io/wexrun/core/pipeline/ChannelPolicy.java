package io.wexrun.core.pipeline;

import java.util.Optional;

/**
 * Where records wait between a pipeline's intake and its shaping.
 *
 * @param diskBytes how many bytes may wait on disk, at least 1; empty: they wait in memory
 */
public record ChannelPolicy(Optional<Long> diskBytes) {
  /** In memory: a run that ends has nothing waiting, and one that fails takes again. */
  public static final ChannelPolicy MEMORY = new ChannelPolicy(Optional.empty());

  /** Rejects a bound that holds nothing. */
  public ChannelPolicy {
    if (diskBytes.isPresent() && diskBytes.get() < 1) {
      throw new IllegalArgumentException("a channel on disk holds at least a byte");
    }
  }

  /** On disk: the intake goes on while targets are down, also after a restart. */
  public static ChannelPolicy onDisk(long bytes) {
    return new ChannelPolicy(Optional.of(bytes));
  }
}
