package io.wexrun.core.intake;

/**
 * Where in a file a block stands.
 *
 * @param member which file it is of those in an archive; empty if the source is one file
 * @param line the number of its first line, from 1; 0 if lines are not counted
 * @param host the name of the machine that took it; empty if that is not known
 */
public record FilePlace(String member, long line, String host) {
  /** Nowhere that is known. */
  public static final FilePlace NONE = new FilePlace("", 0, "");
}
