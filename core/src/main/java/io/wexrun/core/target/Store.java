package io.wexrun.core.target;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.pipeline.Table;
import java.util.Optional;

/**
 * What holds tables. What a store may offer beside this, it implements too: {@link Comparing},
 * {@link Querying}, {@link Swapping}. For several threads; close comes last, when the targets are
 * closed.
 */
public interface Store extends AutoCloseable {
  /** Who the store is: it has it from its making. */
  Identity identity();

  /**
   * Opens a table for a pipeline, making or changing it as its definition says. Several pipelines
   * may have one table open; one pipeline opens it once at a time.
   *
   * @param writer under which name progress is kept: the pipeline's
   * @throws io.wexrun.core.diagnose.OutsideException if a table is there with other columns, or is
   *     not there and must not be made, or the store cannot be reached
   */
  Target target(String writer, Table table);

  /**
   * How a table stands for a pipeline, without making or changing anything.
   *
   * @return {@link Standing#ABSENT} if there is no such table; empty if the store cannot tell
   *     without opening it as a target
   */
  default Optional<Standing> standing(String writer, String table) {
    return Optional.empty();
  }

  /**
   * Sends or loads at the next attempt, even if the other side asked to wait: a person says that it
   * can take rows again.
   */
  default void retryNow() {}

  /** Gives back what is open. */
  @Override
  void close();
}
