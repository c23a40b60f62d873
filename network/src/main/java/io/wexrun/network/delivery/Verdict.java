package io.wexrun.network.delivery;

import java.time.Duration;
import java.util.Map;
import java.util.Optional;

/** What the other side said of a post. */
sealed interface Verdict {
  /**
   * It has the rows, but for some.
   *
   * @param refused numbers of rows, from 0, with why
   * @param id where it is asked whether they are safe; empty if that need not be asked
   */
  record Taken(Map<Integer, String> refused, Optional<String> id) implements Verdict {}

  /**
   * It has none of the rows, and will not take them.
   *
   * @param named the rows that are the reason, from 0, with why; may be empty
   */
  record Refused(Map<Integer, String> named, String why) implements Verdict {}

  /** It has none of the rows, since they are too many at once. */
  record TooLarge(String why) implements Verdict {}

  /**
   * It has none of the rows, or nobody knows, and may take them later.
   *
   * @param after how long it asks to wait
   */
  record Later(String why, Optional<Duration> after) implements Verdict {}
}
