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
 * @param header the header of the source, which is not a record; empty if it has none
 * @param taken when the intake took the block, in microseconds since 1970-01-01T00:00:00Z; 0 if
 *     that is not known
 * @param written by when its records had been written, in microseconds since 1970-01-01T00:00:00Z:
 *     something that stays the same when the block is taken again, such as a file's own time; 0 if
 *     that is not known
 * @param place where in a file they stand, as far as that is known
 */
public record Block(
    SourcePartition source,
    long first,
    long end,
    byte[] data,
    int length,
    Framing framing,
    byte[] header,
    long taken,
    long written,
    FilePlace place) {
  private static final byte[] NONE = {};

  /** A block of a source without a header. */
  public Block(
      SourcePartition source, long first, long end, byte[] data, int length, Framing framing) {
    this(source, first, end, data, length, framing, NONE, 0, 0, FilePlace.NONE);
  }

  /** A block of which is not known when it was taken. */
  public Block(
      SourcePartition source,
      long first,
      long end,
      byte[] data,
      int length,
      Framing framing,
      byte[] header) {
    this(source, first, end, data, length, framing, header, 0, 0, FilePlace.NONE);
  }

  /** A block of which is not known when its records were written. */
  public Block(
      SourcePartition source,
      long first,
      long end,
      byte[] data,
      int length,
      Framing framing,
      byte[] header,
      long taken) {
    this(source, first, end, data, length, framing, header, taken, 0, FilePlace.NONE);
  }

  /** A block of which is not known where in a file it stands. */
  public Block(
      SourcePartition source,
      long first,
      long end,
      byte[] data,
      int length,
      Framing framing,
      byte[] header,
      long taken,
      long written) {
    this(source, first, end, data, length, framing, header, taken, written, FilePlace.NONE);
  }

  /** The same block, shorter or cut in another way. */
  public Block with(long otherEnd, Framing other) {
    return new Block(source, first, otherEnd, data, length, other, header, taken, written, place);
  }

  /** The same block without the records before a position, which it begins with then. */
  public Block since(long position) {
    Framing whole = framing;
    Block before = this;
    Framing rest = ignored -> whole.cut(before).since(position);
    return new Block(source, position, end, data, length, rest, header, taken, written, place);
  }

  /** Cuts the block into records. */
  public Records records() {
    return framing.cut(this).from(this);
  }
}
