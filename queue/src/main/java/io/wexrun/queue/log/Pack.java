package io.wexrun.queue.log;

import io.wexrun.core.diagnose.OutsideException;
import java.nio.ByteBuffer;
import java.util.Optional;
import java.util.zip.CRC32C;

/**
 * The header of a pack: many records under one checksum. All numbers are big-endian.
 *
 * <pre>
 * Pack       --&gt; Magic, Checksum, Version, Codec, Flags, Length, BaseOffset, Count, HeadLength,
 *                FirstTime, LastTime, Sequence, Durable, Payload
 * Magic      --&gt; uint32 0x5758504B ("WXPK")
 * Checksum   --&gt; uint32 CRC-32C (RFC 3720, appendix B.4) of everything behind it
 * Version    --&gt; uint8 1
 * Codec      --&gt; uint8 0 (none) | 1 (LZ4 block) | 2 (Zstandard)
 * Flags      --&gt; uint16 0; 1 if it is encrypted, see {@link PackCipher}
 * Length     --&gt; uint32 bytes of Payload
 * BaseOffset --&gt; int64 position of the first record
 * Count      --&gt; uint32 records, at least 1
 * HeadLength --&gt; uint32 bytes of Head
 * FirstTime, LastTime --&gt; int64 milliseconds since 1970-01-01T00:00:00Z
 * Sequence   --&gt; int64 of the producer; a pack whose sequence is not above the last is a repetition
 * Durable    --&gt; int64 position up to which the partition was known to be synced
 * Payload    --&gt; Head, Body
 * Head       --&gt; see {@link PackHead}
 * Body       --&gt; Record{Count} if Codec is 0; else RawLength, compressed Record{Count}
 * RawLength  --&gt; uint32 bytes of Record{Count}
 * Record     --&gt; KeyLength, Key, Time, Age, HeaderCount, Header{HeaderCount}, ValueLength, Value
 * KeyLength  --&gt; varint length + 1; 0 for no key
 * Time       --&gt; varint milliseconds since FirstTime
 * Age        --&gt; varint milliseconds from when an intake first took the record to its Time
 * Header     --&gt; varint length, name in UTF-8, varint length, value in UTF-8
 * ValueLength, HeaderCount --&gt; varint (unsigned LEB128)
 * </pre>
 *
 * @param codecNumber as written; see {@link #codec()}
 * @param flags see {@link #encrypted()}
 * @param length bytes of the payload
 */
public record Pack(
    int version,
    int codecNumber,
    int flags,
    int length,
    long baseOffset,
    int count,
    int headLength,
    long firstTime,
    long lastTime,
    long sequence,
    long durable) {
  public static final int HEADER = 64;
  public static final int MAGIC = 0x5758504B;
  public static final byte VERSION = 1;

  /** Header and payload together. */
  public int bytes() {
    return HEADER + length;
  }

  /** The position after the last record. */
  public long end() {
    return baseOffset + count;
  }

  /** Writes the header over the first bytes of {@code pack}, whose payload stands behind it. */
  public void write(byte[] pack) {
    writeFields(pack);
    ByteBuffer.wrap(pack).putInt(4, checksum(pack, 0, bytes()));
  }

  /** Writes the header without its checksum. */
  void writeFields(byte[] pack) {
    ByteBuffer out = ByteBuffer.wrap(pack, 0, bytes());
    out.putInt(MAGIC)
        .putInt(0)
        .put((byte) version)
        .put((byte) codecNumber)
        .putShort((short) flags)
        .putInt(length);
    out.putLong(baseOffset).putInt(count).putInt(headLength);
    out.putLong(firstTime).putLong(lastTime).putLong(sequence).putLong(durable);
  }

  /**
   * Reads a header.
   *
   * @param available bytes from {@code at} to the end of what there is
   * @return empty if no whole pack can start here, judged by the header alone
   */
  public static Optional<Pack> read(byte[] data, int at, long available) {
    if (available < HEADER) {
      return Optional.empty();
    }
    ByteBuffer in = ByteBuffer.wrap(data, at, HEADER);
    int magic = in.getInt();
    in.getInt();
    byte version = in.get();
    byte codec = in.get();
    int flags = in.getShort() & 0xFFFF;
    if (magic != MAGIC) {
      return Optional.empty();
    }
    Pack pack =
        new Pack(
            version,
            codec,
            flags,
            in.getInt(),
            in.getLong(),
            in.getInt(),
            in.getInt(),
            in.getLong(),
            in.getLong(),
            in.getLong(),
            in.getLong());
    boolean sane =
        pack.length > 0
            && pack.length <= available - HEADER
            && pack.count > 0
            && pack.headLength > 0
            && pack.headLength <= pack.length;
    return sane ? Optional.of(pack) : Optional.empty();
  }

  /**
   * Says if a newer Wexrun wrote this. Asked once the checksum is known to be right: damage may
   * look like any version.
   */
  void requireReadable() {
    if (version > VERSION || Codec.of(codecNumber).isEmpty() || flags > PackCipher.FLAG) {
      throw new OutsideException(
          "a pack has version "
              + version
              + " and codec "
              + codecNumber
              + " and flags "
              + flags
              + "; this Wexrun reads version "
              + VERSION
              + " and codecs 0 to "
              + (Codec.values().length - 1)
              + " and flags 0 and "
              + PackCipher.FLAG
              + ": use a newer Wexrun");
    }
  }

  /** Whether the records are encrypted. */
  public boolean encrypted() {
    return (flags & PackCipher.FLAG) != 0;
  }

  /** The same, with another payload. */
  Pack with(int otherFlags, int otherLength, int otherHeadLength) {
    return new Pack(
        version,
        codecNumber,
        otherFlags,
        otherLength,
        baseOffset,
        count,
        otherHeadLength,
        firstTime,
        lastTime,
        sequence,
        durable);
  }

  /** How the records are compressed. */
  public Codec codec() {
    requireReadable();
    return Codec.of(codecNumber).get();
  }

  /** Whether the checksum of the whole pack at {@code at} is right. */
  public boolean whole(byte[] data, int at) {
    return ByteBuffer.wrap(data).getInt(at + 4) == checksum(data, at, bytes());
  }

  /** The name of the producer of the pack at {@code at}. */
  public String producer(byte[] data, int at) {
    return PackHead.producer(data, at + HEADER);
  }

  /** The header of the sources of the records of the pack at {@code at}; may be empty. */
  public byte[] sourceHeader(byte[] data, int at) {
    Varints in = new Varints(data, at + HEADER);
    in.skip(in.next());
    return in.bytes((int) in.next());
  }

  /** The head of the pack at {@code at}. */
  public PackHead head(byte[] data, int at) {
    return PackHead.read(data, at + HEADER);
  }

  private static int checksum(byte[] data, int at, int bytes) {
    CRC32C crc = new CRC32C();
    crc.update(data, at + 8, bytes - 8);
    return (int) crc.getValue();
  }
}
