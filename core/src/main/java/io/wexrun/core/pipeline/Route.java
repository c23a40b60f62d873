package io.wexrun.core.pipeline;

import java.util.List;
import java.util.Optional;

/**
 * One entry of a pipeline's route: the first one whose condition holds takes the record.
 *
 * @param when a CEL condition; empty takes every record that comes this far
 * @param to names of tables or queues, or {@link #DEAD} or {@link #DROP} alone; several names make
 *     copies
 * @param key for queues: an RE2 pattern found in the raw record, whose first group (or the whole
 *     match) is the key; records with one key keep their order
 */
public record Route(Optional<String> when, List<String> to, Optional<String> key) {
  /** The name of the dead letters as a target. */
  public static final String DEAD = "dead";

  /** The name that drops records, counted. */
  public static final String DROP = "drop";

  /** Copies the names. */
  public Route {
    to = List.copyOf(to);
  }

  /** Begins an entry with a CEL condition; its {@code to} ends it. */
  public static Conditional when(String condition) {
    return new Conditional(condition);
  }

  /** Every record that comes this far, to a table or queue, or to several. */
  public static Route to(String... targets) {
    return new Route(Optional.empty(), List.of(targets), Optional.empty());
  }

  /** What no entry before took: dead. The reason is {@code unknown-kind}. */
  public static Route otherwiseDead() {
    return to(DEAD);
  }

  /** What no entry before took: dropped and counted. */
  public static Route otherwiseDrop() {
    return to(DROP);
  }

  /** This entry with a key for queues. */
  public Route key(String pattern) {
    return new Route(when, to, Optional.of(pattern));
  }

  /**
   * A condition that waits for its targets.
   *
   * @param condition CEL
   */
  public record Conditional(String condition) {
    /** Where records go for which the condition holds. */
    public Route to(String... targets) {
      return new Route(Optional.of(condition), List.of(targets), Optional.empty());
    }
  }
}
