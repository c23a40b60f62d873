package io.wexrun.core.intake;

/**
 * Cuts the bytes of a block into records. A pure function, so that it runs on the lanes and not on
 * the thread that reads.
 */
@FunctionalInterface
public interface Framing {
  /** The records of a block. Every byte that the framing does not need is in some record. */
  Records cut(Block block);

  /**
   * The name under which registry of framings has this framing, so that a block can be kept on
   * disk; empty if there is none.
   */
  default String form() {
    return "";
  }

  /**
   * Where the last whole record in {@code data[0, length)} ends, which begins with a record; 0 if
   * none does.
   *
   * @param known no record ends before this place
   */
  default int end(byte[] data, int known, int length) {
    int end = length;
    while (end > known && data[end - 1] != '\n') {
      end--;
    }
    return end > known ? end : 0;
  }
}
