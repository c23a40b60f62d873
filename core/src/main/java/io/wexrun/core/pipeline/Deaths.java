package io.wexrun.core.pipeline;

import java.util.OptionalDouble;

/**
 * How many of the last records may die before somebody is told, and before the pipeline stops.
 *
 * @param warn the share above which it is told, from 0 to 1; empty if it is not
 * @param stop the share above which the pipeline stops, from 0 to 1; empty if it never does
 * @param of among how many of the last records, at least 1
 */
public record Deaths(OptionalDouble warn, OptionalDouble stop, long of) {
  /** Among how many records the share is taken if nothing is said. */
  public static final long OF = 10_000;

  /** As many as want to. */
  public static final Deaths ANY = new Deaths(OptionalDouble.empty(), OptionalDouble.empty(), OF);
}
