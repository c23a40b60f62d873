package io.wexrun.project.facts;

import java.util.OptionalLong;

/**
 * One line of the books, counted again from the real thing.
 *
 * @param subject what was counted: a source partition, a table, dead letters of one reason
 * @param kind what that is
 * @param pipelines whose books the line is of; several names with commas, if several load a table
 * @param books how many the books say
 * @param found how many there are; empty if that cannot be counted any more
 * @param verdict whether they agree
 * @param why what is wrong, or why it cannot be said, for people; may be empty
 */
public record Proof(
    String subject,
    Kind kind,
    String pipelines,
    long books,
    OptionalLong found,
    Verdict verdict,
    String why) {
  /** What is counted again. */
  public enum Kind {
    /** Records of a source partition. */
    SOURCE,
    /** Rows of a table, or records of a queue. */
    TARGET,
    /** Files of a table that are not as they were written. */
    FILES,
    /** Dead letters. */
    LETTERS
  }

  /** Whether the books and the real thing agree. */
  public enum Verdict {
    /** They do. */
    AGREES,
    /** They do not: something was lost, doubled, or touched. */
    DIFFERS,
    /** It could not be counted, which is no agreement: it is damaged, held, or out of reach. */
    UNKNOWN,
    /** It cannot be counted by what it is: it keeps sums, or does not keep what is old. */
    OPEN
  }

  /** A line of which both numbers are known. */
  public static Proof of(
      String subject, Kind kind, String pipelines, long books, long found, String why) {
    boolean same = books == found;
    return new Proof(
        subject,
        kind,
        pipelines,
        books,
        OptionalLong.of(found),
        same ? Verdict.AGREES : Verdict.DIFFERS,
        same ? "" : why);
  }

  /** A line that could not be counted. */
  public static Proof unknown(String subject, Kind kind, String pipelines, long books, String why) {
    return new Proof(subject, kind, pipelines, books, OptionalLong.empty(), Verdict.UNKNOWN, why);
  }

  /** A line of which it cannot be said whether it is right. */
  public static Proof open(
      String subject, Kind kind, String pipelines, long books, OptionalLong found, String why) {
    return new Proof(subject, kind, pipelines, books, found, Verdict.OPEN, why);
  }
}
