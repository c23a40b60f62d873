package io.wexrun.core.intake;

import java.util.Arrays;
import java.util.BitSet;
import java.util.Map;
import java.util.Optional;
import java.util.function.IntFunction;

/**
 * The raw records of a block: for each one its bytes and its position. Immutable once built; shares
 * the block's byte array, which nobody writes any more.
 */
public final class Records {
  private static final int[] NOTHING = {};
  private static final Origin NOWHERE =
      new Origin("", new byte[0], 0, 0, FilePlace.NONE, null, null, null, 0, false);

  /** What records came with beside their bytes, by their number. Pure, for several threads. */
  public interface Envelopes {
    /** The key of a record, if it has one; not to be changed. */
    Optional<byte[]> key(int record);

    /** The headers of a record, names to values in order; may be empty. */
    Map<String, String> headers(int record);
  }

  /**
   * Where records come from.
   *
   * @param taken when they were taken, if {@code times} is null
   * @param written by when they had been written; 0 if that is not known
   * @param place where in a file they stand
   * @param times when each one was taken
   * @param envelopes what they came with; null for nothing
   * @param formers what they were before, if they are replayed; null if they are not
   * @param shift the number that the first record has in the envelopes and the formers
   * @param lines whether they are lines of text
   */
  private record Origin(
      String source,
      byte[] header,
      long taken,
      long written,
      FilePlace place,
      long[] times,
      Envelopes envelopes,
      IntFunction<Former> formers,
      int shift,
      boolean lines) {
    Origin from(Block block) {
      return new Origin(
          formers == null ? block.source().name() : source,
          block.header(),
          block.taken(),
          block.written(),
          block.place(),
          times,
          envelopes,
          formers,
          shift,
          lines);
    }

    Origin with(long[] others, Envelopes other, int shifted) {
      return new Origin(
          source, header, taken, written, place, others, other, formers, shifted, lines);
    }

    Origin asLines() {
      return new Origin(
          source, header, taken, written, place, times, envelopes, formers, shift, true);
    }
  }

  private final byte[] data;
  private final int[] starts;
  private final int[] ends;
  private final int count;
  private final long firstPosition;
  private final boolean positionsAreBytes;
  private final long[] places;
  private final BitSet odd;
  private final Origin origin;

  /** Lines that were counted already: a value, so that several threads may count. */
  private Counted counted = new Counted(0, 0);

  private record Counted(int place, long line) {}

  private Records(
      byte[] data,
      int[] starts,
      int[] ends,
      int count,
      long firstPosition,
      boolean positionsAreBytes,
      long[] places,
      BitSet odd,
      Origin origin) {
    this.data = data;
    this.starts = starts;
    this.ends = ends;
    this.count = count;
    this.firstPosition = firstPosition;
    this.positionsAreBytes = positionsAreBytes;
    this.places = places;
    this.odd = odd;
    this.origin = origin;
  }

  /**
   * Records whose position is the place of their first byte: {@code firstPosition} is the position
   * of {@code data[0]}.
   *
   * @param odd the records that may hold bytes above 127; null if nothing is known of that
   */
  public static Records atBytes(
      byte[] data, int[] starts, int[] ends, int count, long firstPosition, BitSet odd) {
    return new Records(data, starts, ends, count, firstPosition, true, null, odd, NOWHERE);
  }

  /**
   * Records whose positions are consecutive numbers from {@code firstPosition}.
   *
   * @param odd the records that may hold bytes above 127; null if nothing is known of that
   */
  public static Records numbered(
      byte[] data, int[] starts, int[] ends, int count, long firstPosition, BitSet odd) {
    return new Records(data, starts, ends, count, firstPosition, false, null, odd, NOWHERE);
  }

  /**
   * Records of which each has a position of its own.
   *
   * @param positions ascending, at least {@code count} of them; not changed any more
   */
  public static Records placed(byte[] data, int[] starts, int[] ends, int count, long[] positions) {
    long first = count == 0 ? 0 : positions[0];
    return new Records(data, starts, ends, count, first, false, positions, null, NOWHERE);
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
    return places != null
        ? places[record]
        : firstPosition + (positionsAreBytes ? starts[record] : record);
  }

  /** Whether every byte of a record is known to be below 128. */
  public boolean ascii(int record) {
    return odd != null && !odd.get(record);
  }

  private Records with(Origin other) {
    return new Records(
        data, starts, ends, count, firstPosition, positionsAreBytes, places, odd, other);
  }

  /** The same records with what a block knows of where they come from. */
  Records from(Block block) {
    return with(origin.from(block));
  }

  /**
   * The same records with the time when each one was taken, and what they came with.
   *
   * @param times microseconds since 1970-01-01T00:00:00Z
   */
  public Records with(long[] times, Envelopes envelopes) {
    return with(origin.with(times, envelopes, 0));
  }

  /**
   * The same records as dead letters that are replayed.
   *
   * @param source the source partition from which all of them came first
   * @param formers what they were before, by their number; pure, for several threads
   */
  public Records replayed(String source, IntFunction<Former> formers) {
    return with(
        new Origin(
            source,
            origin.header,
            origin.taken,
            origin.written,
            origin.place,
            origin.times,
            origin.envelopes,
            formers,
            origin.shift,
            origin.lines));
  }

  /** Whether they are dead letters that are replayed. */
  public boolean areReplayed() {
    return origin.formers != null;
  }

  /** What a record was before that is {@linkplain #areReplayed replayed}. */
  public Former former(int record) {
    return origin.formers.apply(record + origin.shift);
  }

  /**
   * The position that a record had in the source that it came from first: {@link #position} unless
   * it is replayed.
   */
  public long firstPosition(int record) {
    return origin.formers == null ? position(record) : former(record).position();
  }

  /** The same records as lines of text, of which a blank one says nothing. */
  public Records asLines() {
    return with(origin.asLines());
  }

  /** Whether they are lines of text. */
  public boolean areLines() {
    return origin.lines;
  }

  /** Whether a record has no byte but blanks, tabs and ends of lines. */
  public boolean blank(int record) {
    for (int at = starts[record]; at < ends[record]; at++) {
      byte b = data[at];
      if (b != ' ' && b != '\t' && b != '\r' && b != '\n') {
        return false;
      }
    }
    return true;
  }

  /** The header of the records' source, such as the line with a CSV file's names; may be empty. */
  public byte[] header() {
    return origin.header;
  }

  /** The name of the source partition that they came from first; may be empty. */
  public String source() {
    return origin.source;
  }

  /** Which file of an archive they come from; empty if their source is one file. */
  public String member() {
    return origin.place.member();
  }

  /** The name of the machine that took them; empty if it is not known. */
  public String host() {
    return origin.place.host();
  }

  /**
   * The number of the line in its file in which a record begins, from 1; 0 if it is not known. To
   * be asked for in order, for it counts from the record before.
   */
  public long line(int record) {
    if (origin.formers != null) {
      return former(record).line();
    }
    if (origin.place.line() == 0) {
      return 0;
    }
    Counted from = counted;
    int at = from.place() <= starts[record] ? from.place() : 0;
    long line = at == 0 ? origin.place.line() : from.line();
    for (; at < starts[record]; at++) {
      line += data[at] == '\n' ? 1 : 0;
    }
    counted = new Counted(at, line);
    return line;
  }

  /**
   * When a record was first taken, in microseconds since 1970-01-01T00:00:00Z; for one that a
   * producer appended to a queue, when it was appended; 0 if that is not known.
   */
  public long taken(int record) {
    return origin.times == null ? origin.taken : origin.times[record];
  }

  /**
   * By when a record had been written, as far as its source can say so that it says the same again;
   * else when it was taken. In microseconds since 1970-01-01T00:00:00Z; 0 if that is not known.
   */
  public long written(int record) {
    if (origin.formers != null && former(record).written() != 0) {
      return former(record).written();
    }
    return origin.times == null && origin.written != 0 ? origin.written : taken(record);
  }

  /** Whether records may have come with a key or with headers. */
  public boolean enveloped() {
    return origin.envelopes != null;
  }

  /** The key that a record came with, if it had one; not to be changed. */
  public Optional<byte[]> key(int record) {
    return origin.envelopes == null
        ? Optional.empty()
        : origin.envelopes.key(record + origin.shift);
  }

  /** The headers that a record came with, names to values in order; may be empty. */
  public Map<String, String> headers(int record) {
    return origin.envelopes == null ? Map.of() : origin.envelopes.headers(record + origin.shift);
  }

  /** The same records without their bytes: only positions and count, for less memory. */
  public Records positionsOnly() {
    int[] bytes = positionsAreBytes ? starts : NOTHING;
    return new Records(
        null, bytes, NOTHING, count, firstPosition, positionsAreBytes, places, odd, NOWHERE);
  }

  /** The records before a position. */
  public Records before(long position) {
    int head = 0;
    while (head < count && position(head) < position) {
      head++;
    }
    return new Records(
        data, starts, ends, head, firstPosition, positionsAreBytes, places, odd, origin);
  }

  /** The records from a position on. */
  public Records since(long position) {
    int gone = 0;
    while (gone < count && position(gone) < position) {
      gone++;
    }
    long[] times = origin.times == null ? null : Arrays.copyOfRange(origin.times, gone, count);
    return new Records(
        data,
        Arrays.copyOfRange(starts, gone, count),
        Arrays.copyOfRange(ends, gone, count),
        count - gone,
        positionsAreBytes ? firstPosition : firstPosition + gone,
        positionsAreBytes,
        places == null ? null : Arrays.copyOfRange(places, gone, count),
        odd == null ? null : odd.get(gone, Math.max(gone, count)),
        origin.with(times, origin.envelopes, origin.shift + gone));
  }

  /** The first records, at most so many. */
  public Records first(int most) {
    int head = Math.min(most, count);
    return new Records(
        data, starts, ends, head, firstPosition, positionsAreBytes, places, odd, origin);
  }

  /** A copy of a record's bytes. */
  public byte[] bytes(int record) {
    return Arrays.copyOfRange(data, starts[record], ends[record]);
  }
}
