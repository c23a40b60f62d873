package io.wexrun.core.connect;

/**
 * What a run is going to do with a source, as far as can be seen before.
 *
 * @param name which one
 * @param bytes how many it has, as it lies there
 * @param plan what becomes of it
 */
public record PlannedSource(String name, long bytes, Plan plan) {
  /** What becomes of a source. */
  public enum Plan {
    /** It is taken, from its start. */
    TAKE,
    /** An earlier run has taken some of it; the rest is taken. */
    GO_ON,
    /** It was taken before, and is not taken again. */
    TAKEN,
    /** It is not complete yet. */
    WAITS
  }
}
