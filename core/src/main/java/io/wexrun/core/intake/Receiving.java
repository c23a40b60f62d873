package io.wexrun.core.intake;

/** What an intake takes that comes once and cannot be read again. */
public enum Receiving {
  /** Nothing: only what it has appended to its queue is read. */
  NOTHING,
  /** What has an end, such as standard input; the run ends behind it. */
  TO_THE_END,
  /** Whatever comes, until the run is stopped. */
  ALWAYS
}
