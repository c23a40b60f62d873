package io.wexrun.core.intake;

/**
 * Cuts the bytes of a block into records. A pure function, so that it runs on the lanes and not on
 * the thread that reads.
 */
@FunctionalInterface
public interface Framing {
  /** The records of a block. Every byte that the framing does not need is in some record. */
  Records cut(Block block);
}
