package io.wexrun.core.intake;

/**
 * One ordered stream of an intake: a file, or one partition of a queue. Positions in it only grow.
 *
 * @param name unique within its pipeline and the same after a restart, such as {@code
 *     incoming/gates/a.log} or {@code gate-events/2}
 */
public record SourcePartition(String name) implements Comparable<SourcePartition> {
  @Override
  public int compareTo(SourcePartition other) {
    return name.compareTo(other.name);
  }

  @Override
  public String toString() {
    return name;
  }
}
