package io.wexrun.files.content;

/**
 * What stands before the records of a file.
 *
 * @param skipped how many of the first lines are nothing
 * @param first whether the first record after them names the columns of the others
 * @param begins what lines begin with that name the columns of what follows; empty if none do
 */
record Head(int skipped, boolean first, String begins) {
  static final Head NONE = new Head(0, false, "");
}
