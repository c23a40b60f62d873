package io.wexrun.project.facts;

import java.time.Instant;
import java.util.List;
import java.util.Optional;

/**
 * Up to which time of the events the tables of a pipeline are complete, as far as its sources have
 * delivered in order. Immutable.
 *
 * @param pipeline its name
 * @param edge all events up to this time that its sources have delivered are in the tables, or have
 *     died; empty if that cannot be said
 * @param newest the latest event in the tables; empty if rows tell no time
 * @param behind the sources that have records which are not in the tables yet, by name
 * @param why what could not be looked at; may be empty
 */
public record Completeness(
    String pipeline,
    Optional<Instant> edge,
    Optional<Instant> newest,
    List<String> behind,
    String why) {
  /** Copies the list. */
  public Completeness {
    behind = List.copyOf(behind);
  }
}
