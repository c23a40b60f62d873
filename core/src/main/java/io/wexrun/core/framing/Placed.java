package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.FilePlace;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.util.Arrays;

/**
 * Records with their positions before them, for an intake that numbers them itself and may leave
 * gaps, such as one that reads a table by its ids. Such a block can wait in a channel on disk.
 *
 * <pre>{@code
 * Block  --> Record*
 * Record --> Gap, Length, Bytes
 * Gap    --> varint: how far its position is from the one before; for the first, from the block's
 * Length --> varint: how many bytes it has
 * }</pre>
 *
 * <p>A varint is base 128, the least significant seven bits first, as in Protocol Buffers. A block
 * is put together by {@link #block}; for one thread.
 */
public final class Placed {
  /** The framing of such blocks. It never cuts a file. */
  public static final Framing FRAMING = new Cutting();

  private final SourcePartition source;
  private final long first;
  private byte[] data = new byte[4096];
  private int length;
  private int records;
  private long last;

  private Placed(SourcePartition source, long first) {
    this.source = source;
    this.first = first;
    this.last = first;
  }

  /**
   * Begins a block.
   *
   * @param first where it begins: where the block before it ended
   */
  public static Placed block(SourcePartition source, long first) {
    return new Placed(source, first);
  }

  /**
   * Adds a record.
   *
   * @param position behind that of the record before; of the first one, not before the block's
   */
  public Placed add(long position, byte[] record) {
    if (position < last || records > 0 && position == last) {
      throw new IllegalArgumentException(
          "position " + position + " of " + source + " does not come after " + last);
    }
    ensure(record.length + 20);
    varint(position - last);
    varint(record.length);
    System.arraycopy(record, 0, data, length, record.length);
    length += record.length;
    last = position;
    records++;
    return this;
  }

  private void ensure(int more) {
    if (data.length - length < more) {
      data = Arrays.copyOf(data, Math.max(data.length * 2, length + more));
    }
  }

  private void varint(long value) {
    long left = value;
    while ((left & ~0x7FL) != 0) {
      data[length++] = (byte) (left & 0x7F | 0x80);
      left >>>= 7;
    }
    data[length++] = (byte) left;
  }

  /** How many records were added. */
  public int records() {
    return records;
  }

  /** How many bytes the block has so far. */
  public int bytes() {
    return length;
  }

  /**
   * The block, which ends right behind its last record.
   *
   * @param taken when it was taken, in microseconds since 1970-01-01T00:00:00Z
   * @throws IllegalStateException if nothing was added
   */
  public Block build(long taken) {
    return build(taken, 0, FilePlace.NONE);
  }

  /**
   * The block, which ends right behind its last record.
   *
   * @param taken when it was taken, in microseconds since 1970-01-01T00:00:00Z
   * @param written by when its records had been written; 0 if that is not known
   * @throws IllegalStateException if nothing was added
   */
  public Block build(long taken, long written, FilePlace place) {
    if (records == 0) {
      throw new IllegalStateException("a block has at least one record");
    }
    return new Block(
        source, first, last + 1, data, length, FRAMING, new byte[0], taken, written, place);
  }

  private static final class Cutting implements Framing {
    @Override
    public String form() {
      return "placed";
    }

    @Override
    public Records cut(Block block) {
      byte[] data = block.data();
      int[] starts = new int[16];
      int[] ends = new int[16];
      long[] positions = new long[16];
      int count = 0;
      long position = block.first();
      long[] read = {0, 0};
      // Invariant: read[0] is the place of the next record's gap; data[0, read[0]) are cut.
      while (read[0] < block.length()) {
        varint(data, read);
        position += read[1];
        varint(data, read);
        if (count == starts.length) {
          starts = Arrays.copyOf(starts, count * 2);
          ends = Arrays.copyOf(ends, count * 2);
          positions = Arrays.copyOf(positions, count * 2);
        }
        starts[count] = (int) read[0];
        ends[count] = (int) (read[0] + read[1]);
        positions[count++] = position;
        read[0] += read[1];
      }
      return Records.placed(data, starts, ends, count, positions);
    }

    /** Reads the number at {@code read[0]} into {@code read[1]}, and goes behind it. */
    private static void varint(byte[] data, long[] read) {
      long value = 0;
      int at = (int) read[0];
      for (int shift = 0; ; shift += 7) {
        byte next = data[at++];
        value |= (next & 0x7FL) << shift;
        if (next >= 0) {
          break;
        }
      }
      read[0] = at;
      read[1] = value;
    }
  }
}
