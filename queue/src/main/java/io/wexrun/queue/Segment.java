package io.wexrun.queue;

import io.wexrun.queue.disk.DiskFile;
import java.nio.ByteBuffer;
import java.util.Arrays;
import java.util.zip.CRC32C;

/**
 * One file of packs, and where in it each pack stands.
 *
 * <pre>
 * Segment     --&gt; Magic, Checksum, Version, Reserved, Partition, BaseOffset, Created, Pack*, Index?
 * Magic       --&gt; uint32 0x57585347 ("WXSG")
 * Checksum    --&gt; uint32 CRC-32C of the header behind it
 * Version     --&gt; uint16 1
 * Reserved    --&gt; uint16 0
 * Partition   --&gt; uint32
 * BaseOffset  --&gt; int64 position of the first record
 * Created     --&gt; int64 milliseconds since 1970-01-01T00:00:00Z
 * </pre>
 *
 * Guarded by its partition.
 */
final class Segment {
  static final int HEADER = 32;
  private static final int MAGIC = 0x57585347;
  private static final short VERSION = 1;

  final long base;
  final DiskFile file;
  private long[] positions = new long[16];
  private long[] places = new long[17];
  private long[] firstTimes = new long[16];
  private long[] lastTimes = new long[16];
  private int packs;
  private boolean sealed;

  /**
   * What a producer appended last.
   *
   * @param base the position of that pack's first record
   */
  record Last(long sequence, long base) {}

  Segment(long base, DiskFile file) {
    this.base = base;
    this.file = file;
    places[0] = HEADER;
  }

  static String name(long base) {
    return String.format("%020d.packs", base);
  }

  static ByteBuffer header(int partition, long base, long createdMillis) {
    ByteBuffer header = ByteBuffer.allocate(HEADER);
    header.putInt(MAGIC).putInt(0).putShort(VERSION).putShort((short) 0).putInt(partition);
    header.putLong(base).putLong(createdMillis);
    header.putInt(4, checksum(header.array()));
    return header.flip();
  }

  /** The version if {@code header} is a whole header for this partition and base; -1 if not. */
  static int version(byte[] header, int partition, long base) {
    ByteBuffer in = ByteBuffer.wrap(header);
    boolean whole =
        in.getInt(0) == MAGIC
            && in.getInt(4) == checksum(header)
            && in.getInt(12) == partition
            && in.getLong(16) == base;
    return whole ? in.getShort(8) : -1;
  }

  static boolean readable(int version) {
    return version <= VERSION;
  }

  private static int checksum(byte[] header) {
    CRC32C crc = new CRC32C();
    crc.update(header, 8, HEADER - 8);
    return (int) crc.getValue();
  }

  /** Notes a pack at the end. */
  void note(Pack pack) {
    long place = places[packs];
    note(pack.baseOffset(), place, pack.firstTime(), pack.lastTime());
    places[packs] = place + pack.bytes();
  }

  /** Notes a pack that begins at a place; where it ends is not said. */
  void note(long base, long place, long firstTime, long lastTime) {
    if (packs + 1 >= places.length) {
      positions = Arrays.copyOf(positions, packs * 2);
      firstTimes = Arrays.copyOf(firstTimes, packs * 2);
      lastTimes = Arrays.copyOf(lastTimes, packs * 2);
      places = Arrays.copyOf(places, packs * 2 + 1);
    }
    positions[packs] = base;
    firstTimes[packs] = firstTime;
    lastTimes[packs] = lastTime;
    places[packs] = place;
    packs++;
  }

  /** Says that nothing is appended any more, and where the packs end. */
  void sealed(long end) {
    places[packs] = end;
    sealed = true;
  }

  boolean isSealed() {
    return sealed;
  }

  long firstTime(int pack) {
    return firstTimes[pack];
  }

  long lastTime(int pack) {
    return lastTimes[pack];
  }

  /** The latest time of its records; {@link Long#MIN_VALUE} if it has none. */
  long newest() {
    long newest = Long.MIN_VALUE;
    for (int pack = 0; pack < packs; pack++) {
      newest = Math.max(newest, lastTimes[pack]);
    }
    return newest;
  }

  /** Where the next pack would stand: the file's end as far as it is whole. */
  long endPlace() {
    return places[packs];
  }

  int packs() {
    return packs;
  }

  long place(int pack) {
    return places[pack];
  }

  long position(int pack) {
    return positions[pack];
  }

  /** The number of the pack that holds a position, which must be in this segment. */
  int packOf(long position) {
    int found = Arrays.binarySearch(positions, 0, packs, position);
    return found >= 0 ? found : -found - 2;
  }
}
