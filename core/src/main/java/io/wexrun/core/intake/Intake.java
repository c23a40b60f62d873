package io.wexrun.core.intake;

import java.time.Duration;
import java.util.List;
import java.util.Optional;

/**
 * Where records come from. Opened at the positions of the tally, it hands out blocks; the blocks of
 * one source partition come in order and without gap, the first one starting where the tally ends.
 *
 * <p>One thread polls; {@link #close()} may come from any thread, after which {@code poll} returns
 * empty. What cannot be read throws {@link io.wexrun.core.diagnose.OutsideException}; nothing is
 * lost by that, because the tally has not moved.
 */
public interface Intake extends AutoCloseable {
  /**
   * The next block, if one comes within {@code wait}.
   *
   * @return empty if nothing came in time
   */
  Optional<Block> poll(Duration wait);

  /**
   * Whether everything that was there when last polled has been handed out, and no more is coming
   * from pipelines of this workspace that fill it.
   */
  boolean drained();

  /** Things a user should know that are not failures, each told once; empties the list. */
  default List<String> notices() {
    return List.of();
  }

  @Override
  void close();
}
