package io.wexrun.core.intake;

import java.util.Arrays;

/**
 * The raw records of a block: for each one its bytes and its position. Immutable once built; shares
 * the block's byte array, which nobody writes any more.
 */
public final class Records {
  private static final int[] NOTHING = {};

  private final byte[] data;
  private final int[] starts;
  private final int[] ends;
  private final int count;
  private final long firstPosition;
  private final boolean positionsAreBytes;
  private final boolean ascii;

  private Records(
      byte[] data,
      int[] starts,
      int[] ends,
      int count,
      long firstPosition,
      boolean positionsAreBytes,
      boolean ascii) {
    this.data = data;
    this.starts = starts;
    this.ends = ends;
    this.count = count;
    this.firstPosition = firstPosition;
    this.positionsAreBytes = positionsAreBytes;
    this.ascii = ascii;
  }

  /**
   * Records whose position is the place of their first byte: {@code firstPosition} is the position
   * of {@code data[0]}.
   *
   * @param ascii whether every byte is known to be below 128
   */
  public static Records atBytes(
      byte[] data, int[] starts, int[] ends, int count, long firstPosition, boolean ascii) {
    return new Records(data, starts, ends, count, firstPosition, true, ascii);
  }

  /** Records whose positions are consecutive numbers from {@code firstPosition}. */
  public static Records numbered(
      byte[] data, int[] starts, int[] ends, int count, long firstPosition, boolean ascii) {
    return new Records(data, starts, ends, count, firstPosition, false, ascii);
  }

  /** How many records there are. */
  public int count() {
    return count;
  }

  /** The bytes that hold the records; not to be changed. */
  public byte[] data() {
    return data;
  }

  /** Where a record's bytes start in {@link #data()}. */
  public int start(int record) {
    return starts[record];
  }

  /** Where a record's bytes end in {@link #data()}, exclusive. */
  public int end(int record) {
    return ends[record];
  }

  /** The position of a record in its source partition. */
  public long position(int record) {
    return firstPosition + (positionsAreBytes ? starts[record] : record);
  }

  /** Whether every byte of every record is known to be ASCII. */
  public boolean ascii() {
    return ascii;
  }

  /** The same records without their bytes: only positions and count, for less memory. */
  public Records positionsOnly() {
    int[] places = positionsAreBytes ? starts : NOTHING;
    return new Records(null, places, NOTHING, count, firstPosition, positionsAreBytes, ascii);
  }

  /** The records before a position. */
  public Records before(long position) {
    int head = 0;
    while (head < count && position(head) < position) {
      head++;
    }
    return new Records(data, starts, ends, head, firstPosition, positionsAreBytes, ascii);
  }

  /** A copy of a record's bytes. */
  public byte[] bytes(int record) {
    return Arrays.copyOfRange(data, starts[record], ends[record]);
  }
}
