package io.wexrun.core.target;

import java.time.Duration;

/**
 * How much a query may cost.
 *
 * @param longest how long it may take
 * @param mostRows how many rows it may give
 * @param mostBytes about how many bytes of memory its rows may take
 */
public record QueryBounds(Duration longest, int mostRows, long mostBytes) {
  /** As much as there is memory for beside everything else. */
  public static final QueryBounds NONE =
      new QueryBounds(
          Duration.ofDays(10_000), Integer.MAX_VALUE, Runtime.getRuntime().maxMemory() / 4);
}
