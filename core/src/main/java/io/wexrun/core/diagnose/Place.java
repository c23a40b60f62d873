package io.wexrun.core.diagnose;

/**
 * Where a mistake stands in a file.
 *
 * @param file the file's name as a user would write it
 * @param line from 1
 * @param column from 1, in characters
 * @param length how many characters the mistake spans, at least 1
 * @param text the source line, without its line end
 */
public record Place(String file, int line, int column, int length, String text) {}
