package io.wexrun.project.facts;

/**
 * Something about a workspace that a person should know.
 *
 * @param kind how bad it is
 * @param subject what it is about, in a word or two
 * @param what what was found, in a sentence without a full stop
 * @param then what to do; may be empty
 */
public record Finding(Kind kind, String subject, String what, String then) {
  /** How bad it is. */
  public enum Kind {
    /** It does not work, or will not. */
    WRONG,
    /** It may be meant, or may go wrong. */
    DOUBTFUL,
    /** It is as it should be, and good to know. */
    GOOD
  }
}
