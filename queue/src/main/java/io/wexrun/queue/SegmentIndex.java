package io.wexrun.queue;

import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.zip.CRC32C;

/**
 * What stands at the end of a sealed segment, so that it need not be read through on opening. All
 * numbers are big-endian.
 *
 * <pre>
 * Index      --&gt; Magic, Checksum, Version, Reserved, PackCount, ProducerCount, Entry{PackCount},
 *                Producer{ProducerCount}, Length, Magic
 * Magic      --&gt; uint32 0x57584958 ("WXIX")
 * Checksum   --&gt; uint32 CRC-32C of everything behind it
 * Version    --&gt; uint16 1
 * Reserved   --&gt; uint16 0
 * PackCount, ProducerCount --&gt; uint32
 * Entry      --&gt; BaseOffset int64, Place int64, FirstTime int64, LastTime int64
 * Producer   --&gt; uint16 length, name in UTF-8, Sequence int64, BaseOffset int64 of its last pack
 * Length     --&gt; uint32 bytes of the whole Index
 * </pre>
 *
 * The first Magic stands where another pack would; so who reads a segment through sees its end.
 */
final class SegmentIndex {
  static final int MAGIC = 0x57584958;
  private static final short VERSION = 1;
  private static final int FIXED = 20;
  private static final int ENTRY = 32;
  private static final int TRAILER = 8;

  private SegmentIndex() {}

  /** The index of a segment, with the producers that its partition knows. */
  static ByteBuffer of(Segment segment, Map<String, Segment.Last> producers) {
    int bytes = FIXED + segment.packs() * ENTRY + TRAILER;
    for (String name : producers.keySet()) {
      bytes += 2 + name.getBytes(StandardCharsets.UTF_8).length + 16;
    }
    ByteBuffer out = ByteBuffer.allocate(bytes);
    out.putInt(MAGIC).putInt(0).putShort(VERSION).putShort((short) 0);
    out.putInt(segment.packs()).putInt(producers.size());
    for (int pack = 0; pack < segment.packs(); pack++) {
      out.putLong(segment.position(pack)).putLong(segment.place(pack));
      out.putLong(segment.firstTime(pack)).putLong(segment.lastTime(pack));
    }
    producers.forEach(
        (name, last) -> {
          byte[] utf8 = name.getBytes(StandardCharsets.UTF_8);
          out.putShort((short) utf8.length).put(utf8).putLong(last.sequence()).putLong(last.base());
        });
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
   * @return the producers; empty if there is no whole index, and then the segment is as it was
   */
  static Optional<Map<String, Segment.Last>> read(DiskFile file, Segment segment)
      throws IOException {
    long size = file.size();
    ByteBuffer trailer = ByteBuffer.allocate(TRAILER);
    if (size < Segment.HEADER + FIXED + TRAILER || file.read(size - TRAILER, trailer) < TRAILER) {
      return Optional.empty();
    }
    int length = trailer.getInt(0);
    boolean may =
        trailer.getInt(4) == MAGIC && length >= FIXED + TRAILER && length <= size - Segment.HEADER;
    if (!may) {
      return Optional.empty();
    }
    ByteBuffer in = ByteBuffer.allocate(length);
    file.read(size - length, in);
    in.flip();
    if (in.getInt(0) != MAGIC
        || in.getInt(4) != checksum(in.array())
        || in.getShort(8) != VERSION) {
      return Optional.empty();
    }
    int packs = in.getInt(12);
    int producers = in.getInt(16);
    in.position(FIXED);
    for (int pack = 0; pack < packs; pack++) {
      segment.note(in.getLong(), in.getLong(), in.getLong(), in.getLong());
    }
    segment.sealed(size - length);
    Map<String, Segment.Last> found = new LinkedHashMap<>();
    for (int i = 0; i < producers; i++) {
      byte[] name = new byte[in.getShort() & 0xFFFF];
      in.get(name);
      found.put(
          new String(name, StandardCharsets.UTF_8), new Segment.Last(in.getLong(), in.getLong()));
    }
    return Optional.of(found);
  }
}
