package io.wexrun.core.intake;

import java.util.Arrays;
import java.util.BitSet;

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
  private final BitSet odd;

  private Records(
      byte[] data,
      int[] starts,
      int[] ends,
      int count,
      long firstPosition,
      boolean positionsAreBytes,
      BitSet odd) {
    this.data = data;
    this.starts = starts;
    this.ends = ends;
    this.count = count;
    this.firstPosition = firstPosition;
    this.positionsAreBytes = positionsAreBytes;
    this.odd = odd;
  }

  /**
   * Records whose position is the place of their first byte: {@code firstPosition} is the position
   * of {@code data[0]}.
   *
   * @param odd the records that may hold bytes above 127; null if nothing is known of that
   */
  public static Records atBytes(
      byte[] data, int[] starts, int[] ends, int count, long firstPosition, BitSet odd) {
    return new Records(data, starts, ends, count, firstPosition, true, odd);
  }

  /**
   * Records whose positions are consecutive numbers from {@code firstPosition}.
   *
   * @param odd the records that may hold bytes above 127; null if nothing is known of that
   */
  public static Records numbered(
      byte[] data, int[] starts, int[] ends, int count, long firstPosition, BitSet odd) {
    return new Records(data, starts, ends, count, firstPosition, false, odd);
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

  /** Whether every byte of a record is known to be below 128. */
  public boolean ascii(int record) {
    return odd != null && !odd.get(record);
  }

  /** The same records without their bytes: only positions and count, for less memory. */
  public Records positionsOnly() {
    int[] places = positionsAreBytes ? starts : NOTHING;
    return new Records(null, places, NOTHING, count, firstPosition, positionsAreBytes, odd);
  }

  /** The records before a position. */
  public Records before(long position) {
    int head = 0;
    while (head < count && position(head) < position) {
      head++;
    }
    return new Records(data, starts, ends, head, firstPosition, positionsAreBytes, odd);
  }

  /** A copy of a record's bytes. */
  public byte[] bytes(int record) {
    return Arrays.copyOfRange(data, starts[record], ends[record]);
  }
}
