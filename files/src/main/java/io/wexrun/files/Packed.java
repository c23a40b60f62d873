package io.wexrun.files;

import com.github.luben.zstd.ZstdInputStream;
import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Locale;
import java.util.Optional;
import java.util.stream.Stream;
import org.apache.commons.compress.compressors.bzip2.BZip2CompressorInputStream;
import org.apache.commons.compress.compressors.gzip.GzipCompressorInputStream;
import org.apache.commons.compress.compressors.xz.XZCompressorInputStream;

/** How a file is compressed, by its first bytes. */
enum Packed {
  GZIP(new byte[] {0x1F, (byte) 0x8B}),
  ZSTD(new byte[] {0x28, (byte) 0xB5, 0x2F, (byte) 0xFD}),
  BZIP2(new byte[] {'B', 'Z', 'h'}),
  XZ(new byte[] {(byte) 0xFD, '7', 'z', 'X', 'Z', 0}),
  /** It may hold several files, and is not read. */
  ZIP(new byte[] {'P', 'K', 3, 4});

  private static final int BUFFER = 64 << 10;
  private static final int MOST_KB = 256 << 10;

  private final byte[] begin;

  Packed(byte[] begin) {
    this.begin = begin;
  }

  @Override
  public String toString() {
    return name().toLowerCase(Locale.ROOT);
  }

  /** How a file is compressed; empty if it is not. */
  static Optional<Packed> how(Path path) throws IOException {
    byte[] found;
    try (InputStream in = Files.newInputStream(path)) {
      found = in.readNBytes(6);
    }
    return found.length == 0
        ? Optional.empty()
        : Stream.of(values()).filter(each -> each.begins(found)).findFirst();
  }

  /**
   * Whether some bytes are its beginning; of a file that is just being written, as far as it goes.
   */
  private boolean begins(byte[] found) {
    int both = Math.min(found.length, begin.length);
    return Arrays.equals(found, 0, both, begin, 0, both);
  }

  /** Whether such files are read. */
  boolean read() {
    return this != ZIP;
  }

  /** What is behind compressed bytes, also if several such parts follow each other. */
  InputStream open(InputStream packed) throws IOException {
    InputStream in = new BufferedInputStream(packed, BUFFER);
    return switch (this) {
      case GZIP ->
          GzipCompressorInputStream.builder()
              .setInputStream(in)
              .setDecompressConcatenated(true)
              .get();
      case ZSTD -> new ZstdInputStream(in);
      case BZIP2 -> new BZip2CompressorInputStream(in, true);
      case XZ ->
          XZCompressorInputStream.builder()
              .setInputStream(in)
              .setDecompressConcatenated(true)
              .setMemoryLimitKiB(MOST_KB)
              .get();
      case ZIP -> throw new IOException("zip files are not read");
    };
  }
}
