package io.wexrun.core.intake;

import java.util.Optional;

/**
 * What a record was before, if it is a dead letter that is replayed: the record has a position of
 * its own among the dead letters then.
 *
 * @param position where it stood in the source that it came from first
 * @param written by when it had been written, in microseconds since 1970-01-01T00:00:00Z; 0 if that
 *     is not known
 * @param line the number of its line there, from 1; 0 if that is not known
 * @param deaths how often it has died, at least 1
 * @param died when it died first, in microseconds since 1970-01-01T00:00:00Z
 * @param reason the code of the reason why it died last
 * @param part the row that it is for, if a store refused that one and others of the record lived
 */
public record Former(
    long position,
    long written,
    long line,
    long deaths,
    long died,
    String reason,
    Optional<Part> part) {
  /**
   * One row of a record.
   *
   * @param target the name of the target that it was to go to
   * @param row the how manieth of the record's rows there it is, from 0
   */
  public record Part(String target, int row) {
    private static final char MARK = '#';

    /**
     * Reads what {@link #toString} wrote.
     *
     * @throws IllegalArgumentException if it is nothing such
     */
    public static Part of(String text) {
      int mark = text.lastIndexOf(MARK);
      if (mark < 1 || !text.substring(mark + 1).matches("[0-9]{1,9}")) {
        throw new IllegalArgumentException("'" + text + "' is no row of a target");
      }
      return new Part(text.substring(0, mark), Integer.parseInt(text.substring(mark + 1)));
    }

    @Override
    public String toString() {
      return target + MARK + row;
    }
  }
}
