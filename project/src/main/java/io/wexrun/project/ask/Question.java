package io.wexrun.project.ask;

/**
 * What is asked of a store.
 *
 * @param kind what the text is
 * @param text a statement, or the definition of a table
 */
public record Question(Kind kind, String text) {
  /** What may be asked. */
  public enum Kind {
    /** A statement that only reads. */
    SQL,
    /** How a table stands, whose definition is the text. */
    TABLE
  }
}
