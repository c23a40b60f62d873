package io.wexrun.files.whole;

import java.util.Optional;

/**
 * How files that are taken whole are treated.
 *
 * @param complete when they are complete
 * @param then what becomes of them afterwards
 * @param again what is done with bytes that were taken before under another name
 * @param changed whether a file that was changed in place after it was taken is taken once more
 * @param aside when a file is not taken at all; empty if never
 * @param digest whether files are known again by all their bytes
 * @param temporary whether names are taken for names of files that are just being written
 */
record Dropping(
    Completeness.Rule complete,
    Afterwards then,
    Again again,
    boolean changed,
    Optional<Aside> aside,
    boolean digest,
    boolean temporary) {
  /** An archive: all is complete, and stays where it is. */
  static final Dropping ARCHIVE =
      new Dropping(
          Completeness.Rule.NAMED,
          Afterwards.LEAVE,
          Again.TAKE,
          false,
          Optional.empty(),
          false,
          false);

  /** The same bytes come again. */
  enum Again {
    /** They are taken, and that is told. */
    WARN,
    TAKE,
    SKIP
  }

  /**
   * A file of which more records would die is not taken, but moved.
   *
   * @param dead the share, from 0 to 1
   * @param folder where it goes, from the workspace
   */
  record Aside(double dead, String folder) {}
}
