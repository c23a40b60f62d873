package io.wexrun.queue.log;

import io.airlift.compress.Compressor;
import io.airlift.compress.Decompressor;
import io.airlift.compress.MalformedInputException;
import io.airlift.compress.lz4.Lz4Compressor;
import io.airlift.compress.lz4.Lz4Decompressor;
import io.airlift.compress.zstd.ZstdCompressor;
import io.airlift.compress.zstd.ZstdDecompressor;
import java.util.Arrays;
import java.util.Optional;

/** How the records of a pack are compressed. A pack that would not get smaller is left as it is. */
public enum Codec {
  /** Not at all. */
  NONE,
  /** LZ4 block format: fast, about a third to a half of the size for log lines. */
  LZ4,
  /** Zstandard (RFC 8878): slower, about a fifth of the size for log lines. */
  ZSTD;

  /** The codec with a number in a pack's header. */
  static Optional<Codec> of(int number) {
    return number >= 0 && number < values().length
        ? Optional.of(values()[number])
        : Optional.empty();
  }

  /** The bytes compressed; as long as they are. */
  public byte[] compress(byte[] data, int from, int to) {
    Compressor compressor = this == LZ4 ? new Lz4Compressor() : new ZstdCompressor();
    byte[] out = new byte[compressor.maxCompressedLength(to - from)];
    int length = compressor.compress(data, from, to - from, out, 0, out.length);
    return Arrays.copyOf(out, length);
  }

  /**
   * The bytes that were compressed.
   *
   * @param length how many they were
   * @return empty if they are no such bytes
   */
  public Optional<byte[]> decompress(byte[] data, int from, int to, int length) {
    Decompressor decompressor = this == LZ4 ? new Lz4Decompressor() : new ZstdDecompressor();
    byte[] out = new byte[length];
    try {
      int got = decompressor.decompress(data, from, to - from, out, 0, length);
      return got == length ? Optional.of(out) : Optional.empty();
    } catch (MalformedInputException | IndexOutOfBoundsException e) {
      return Optional.empty();
    }
  }
}
