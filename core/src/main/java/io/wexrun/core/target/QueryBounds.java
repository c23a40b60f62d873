package io.wexrun.core.target;

import java.time.Duration;

/**
 * How much a query may cost.
 *
 * @param longest how long it may take
 * @param mostRows how many rows it may give
 */
public record QueryBounds(Duration longest, int mostRows) {
  /** As much as it wants. */
  public static final QueryBounds NONE =
      new QueryBounds(Duration.ofDays(10_000), Integer.MAX_VALUE);
}
