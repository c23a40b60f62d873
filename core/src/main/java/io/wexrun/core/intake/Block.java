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
 * @param header the header of the source, which is no record; empty if it has none
 */
public record Block(
    SourcePartition source,
    long first,
    long end,
    byte[] data,
    int length,
    Framing framing,
    byte[] header) {
  private static final byte[] NONE = {};

  /** A block of a source without a header. */
  public Block(
      SourcePartition source, long first, long end, byte[] data, int length, Framing framing) {
    this(source, first, end, data, length, framing, NONE);
  }

  /** Cuts the block into records. */
  public Records records() {
    Records records = framing.cut(this);
    return header.length == 0 ? records : records.withHeader(header);
  }
}
