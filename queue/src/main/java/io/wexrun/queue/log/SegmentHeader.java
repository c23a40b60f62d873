package io.wexrun.queue.log;

import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.zip.CRC32C;

/**
 * What stands at the beginning of a segment. It says how far each producer had got in the segments
 * before, so that these can be removed and a repeated pack is known all the same. All numbers are
 * big-endian.
 *
 * <pre>
 * Header      --&gt; Magic, Checksum, Version, Reserved, Partition, BaseOffset, Lost, Created, Queue,
 *                 Length, ProducerCount, LastOf{ProducerCount}
 * Magic       --&gt; uint32 0x57585347 ("WXSG")
 * Checksum    --&gt; uint32 CRC-32C of the header behind it
 * Version     --&gt; uint16 1
 * Reserved    --&gt; uint16 0
 * Partition   --&gt; uint32
 * BaseOffset  --&gt; int64 position of the first record
 * Lost        --&gt; int64 positions before BaseOffset that no record has, since a repair
 * Created     --&gt; int64 milliseconds since 1970-01-01T00:00:00Z
 * Queue       --&gt; uint128 the identity of the queue, as an RFC 9562 UUID
 * Length      --&gt; uint32 bytes of the whole Header
 * ProducerCount --&gt; uint32
 * LastOf      --&gt; uint16 length, Producer in UTF-8, Sequence int64, BaseOffset int64 of its last pack
 * </pre>
 *
 * @param queue the identity of the queue
 * @param bytes the place of the first pack
 * @param lost how many positions before the first record were lost
 * @param producers what each producer appended last in the segments before
 */
public record SegmentHeader(
    int version, UUID queue, int bytes, long lost, Map<String, Last> producers) {
  /** Bytes of a header that knows no producer: no header is shorter. */
  public static final int LEAST = 64;

  private static final int MAGIC = 0x57585347;
  private static final short VERSION = 1;

  /**
   * What a producer appended last.
   *
   * @param base the position of that pack's first record
   */
  public record Last(long sequence, long base) {}

  /** The header of a new segment. */
  public static ByteBuffer of(
      UUID queue,
      int partition,
      long base,
      long lost,
      long createdMillis,
      Map<String, Last> producers) {
    int bytes = LEAST;
    for (String name : producers.keySet()) {
      bytes += 2 + name.getBytes(StandardCharsets.UTF_8).length + 16;
    }
    ByteBuffer out = ByteBuffer.allocate(bytes);
    out.putInt(MAGIC).putInt(0).putShort(VERSION).putShort((short) 0).putInt(partition);
    out.putLong(base).putLong(lost).putLong(createdMillis);
    out.putLong(queue.getMostSignificantBits()).putLong(queue.getLeastSignificantBits());
    out.putInt(bytes).putInt(producers.size());
    producers.forEach(
        (name, last) -> {
          byte[] utf8 = name.getBytes(StandardCharsets.UTF_8);
          out.putShort((short) utf8.length).put(utf8).putLong(last.sequence()).putLong(last.base());
        });
    out.putInt(4, checksum(out.array()));
    return out.flip();
  }

  /** Reads the header of a file; empty if it is not a whole one for this partition and base. */
  public static Optional<SegmentHeader> read(DiskFile file, int partition, long base)
      throws IOException {
    ByteBuffer fixed = ByteBuffer.allocate(LEAST);
    if (file.read(0, fixed) < LEAST || fixed.getInt(0) != MAGIC) {
      return Optional.empty();
    }
    int bytes = fixed.getInt(56);
    if (bytes < LEAST || bytes > file.size()) {
      return Optional.empty();
    }
    ByteBuffer in = ByteBuffer.allocate(bytes);
    file.read(0, in);
    boolean whole =
        in.getInt(4) == checksum(in.array())
            && in.getInt(12) == partition
            && in.getLong(16) == base;
    if (!whole) {
      return Optional.empty();
    }
    int version = in.getShort(8);
    Map<String, Last> producers = new LinkedHashMap<>();
    if (version <= VERSION) {
      in.position(LEAST);
      for (int left = in.getInt(60); left > 0; left--) {
        byte[] name = new byte[in.getShort() & 0xFFFF];
        in.get(name);
        producers.put(
            new String(name, StandardCharsets.UTF_8), new Last(in.getLong(), in.getLong()));
      }
    }
    return Optional.of(
        new SegmentHeader(
            version, new UUID(in.getLong(40), in.getLong(48)), bytes, in.getLong(24), producers));
  }

  /** Whether this Wexrun knows what the segment looks like. */
  public boolean readable() {
    return version <= VERSION;
  }

  private static int checksum(byte[] header) {
    CRC32C crc = new CRC32C();
    crc.update(header, 8, header.length - 8);
    return (int) crc.getValue();
  }
}
