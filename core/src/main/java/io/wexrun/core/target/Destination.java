package io.wexrun.core.target;

import io.wexrun.core.pipeline.Table;

/** What shaping must know about a target: the form in which it takes records. */
public sealed interface Destination {
  /**
   * A table: rows with its columns.
   *
   * @param table its definition
   */
  record Rows(Table table) implements Destination {}

  /** A queue: the raw records, each with a key if the route has one. */
  record Raw() implements Destination {}
}
