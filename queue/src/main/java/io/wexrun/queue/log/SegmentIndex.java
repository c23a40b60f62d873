package io.wexrun.queue.log;

import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.zip.CRC32C;

/**
 * What stands at the end of a sealed segment, so that it need not be read through on opening. All
 * numbers are big-endian.
 *
 * <pre>
 * Index      --&gt; Magic, Checksum, Version, Reserved, PackCount, End, Entry{PackCount}, Length, Magic
 * Magic      --&gt; uint32 0x57584958 ("WXIX")
 * Checksum   --&gt; uint32 CRC-32C of everything behind it
 * Version    --&gt; uint16 1
 * Reserved   --&gt; uint16 0
 * PackCount  --&gt; uint32
 * End        --&gt; int64 position behind the last record
 * Entry      --&gt; BaseOffset int64, Place int64, FirstTime int64, LastTime int64
 * Length     --&gt; uint32 bytes of the whole Index
 * </pre>
 *
 * The first Magic stands where another pack would; so who reads a segment through sees its end.
 */
public final class SegmentIndex {
  public static final int MAGIC = 0x57584958;
  private static final short VERSION = 1;
  private static final int FIXED = 24;
  private static final int ENTRY = 32;
  private static final int TRAILER = 8;

  private SegmentIndex() {}

  /** The index of a segment. */
  public static ByteBuffer of(Segment segment) {
    int bytes = FIXED + segment.packs() * ENTRY + TRAILER;
    ByteBuffer out = ByteBuffer.allocate(bytes);
    out.putInt(MAGIC)
        .putInt(0)
        .putShort(VERSION)
        .putShort((short) 0)
        .putInt(segment.packs())
        .putLong(segment.next());
    for (int pack = 0; pack < segment.packs(); pack++) {
      out.putLong(segment.position(pack)).putLong(segment.place(pack));
      out.putLong(segment.firstTime(pack)).putLong(segment.lastTime(pack));
    }
    out.putInt(bytes).putInt(MAGIC);
    out.putInt(4, checksum(out.array()));
    return out.flip();
  }

  private static int checksum(byte[] index) {
    CRC32C crc = new CRC32C();
    crc.update(index, 8, index.length - 8);
    return (int) crc.getValue();
  }

  /**
   * Reads the index at the end of a file into an empty segment.
   *
   * @return false if there is no whole index, and then the segment is as it was
   */
  public static boolean read(DiskFile file, Segment segment) throws IOException {
    long first = segment.endPlace();
    long size = file.size();
    ByteBuffer trailer = ByteBuffer.allocate(TRAILER);
    if (size < first + FIXED + TRAILER || file.read(size - TRAILER, trailer) < TRAILER) {
      return false;
    }
    int length = trailer.getInt(0);
    boolean may = trailer.getInt(4) == MAGIC && length >= FIXED + TRAILER && length <= size - first;
    if (!may) {
      return false;
    }
    ByteBuffer in = ByteBuffer.allocate(length);
    file.read(size - length, in);
    in.flip();
    if (in.getInt(0) != MAGIC
        || in.getInt(4) != checksum(in.array())
        || in.getShort(8) != VERSION) {
      return false;
    }
    int packs = in.getInt(12);
    in.position(FIXED);
    for (int pack = 0; pack < packs; pack++) {
      segment.note(in.getLong(), in.getLong(), in.getLong(), in.getLong());
    }
    segment.sealed(size - length, in.getLong(16));
    return true;
  }
}
