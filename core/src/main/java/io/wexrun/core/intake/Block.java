package io.wexrun.core.intake;

/**
 * Consecutive raw records of one source partition, as bytes.
 *
 * @param source where they come from
 * @param first the position of the first record
 * @param end the position after the last record: where the next block starts
 * @param data the bytes; nobody changes them once the block is made
 * @param length how many of them count
 * @param framing how they are cut into records
 */
public record Block(
    SourcePartition source, long first, long end, byte[] data, int length, Framing framing) {

  /** Cuts the block into records. */
  public Records records() {
    return framing.cut(this);
  }
}
