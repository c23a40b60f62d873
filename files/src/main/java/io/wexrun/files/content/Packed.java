package io.wexrun.files.content;

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
  /** It holds several files, and is read by its directory, which stands at its end. */
  ZIP(new byte[] {'P', 'K', 3, 4}),
  /** It holds several files. */
  TAR(new byte[0]);

  /** How many bytes tell how something is compressed. */
  static final int LOOKED_AT = 512;

  /** Where the name of the format stands in the first header of a tar file (POSIX.1-1988). */
  private static final int TAR_MAGIC = 257;

  private static final byte[] TAR_NAME = {'u', 's', 't', 'a', 'r'};
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
    try (InputStream in = Files.newInputStream(path)) {
      return how(in.readNBytes(LOOKED_AT));
    }
  }

  /** How something is compressed that begins with some bytes; empty if it is not. */
  static Optional<Packed> how(byte[] found) {
    return found.length == 0
        ? Optional.empty()
        : Stream.of(values()).filter(each -> each.begins(found)).findFirst();
  }

  /**
   * Whether some bytes are its beginning; of a file that is just being written, as far as it goes.
   */
  private boolean begins(byte[] found) {
    if (this == TAR) {
      int end = TAR_MAGIC + TAR_NAME.length;
      return found.length >= end
          && Arrays.equals(found, TAR_MAGIC, end, TAR_NAME, 0, TAR_NAME.length);
    }
    int both = Math.min(found.length, begin.length);
    return Arrays.equals(found, 0, both, begin, 0, both);
  }

  /** Whether it holds several files. */
  boolean archive() {
    return this == ZIP || this == TAR;
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
      case ZIP, TAR -> in;
    };
  }
}
