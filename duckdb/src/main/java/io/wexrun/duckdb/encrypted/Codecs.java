package io.wexrun.duckdb.encrypted;

import com.github.luben.zstd.Zstd;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.zip.GZIPInputStream;
import java.util.zip.GZIPOutputStream;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.compression.CompressionCodecFactory;
import org.apache.parquet.hadoop.metadata.CompressionCodecName;
import org.xerial.snappy.Snappy;

/** How pages are compressed, without the settings that Parquet's own codecs want. */
final class Codecs implements CompressionCodecFactory {
  /** A codec by its name in a store's settings. */
  static CompressionCodecName named(String compression) {
    return compression.equals("none")
        ? CompressionCodecName.UNCOMPRESSED
        : CompressionCodecName.fromConf(compression);
  }

  @Override
  public BytesInputCompressor getCompressor(CompressionCodecName name) {
    return new BytesInputCompressor() {
      @Override
      public BytesInput compress(BytesInput bytes) throws IOException {
        return switch (name) {
          case UNCOMPRESSED -> bytes;
          case ZSTD -> BytesInput.from(Zstd.compress(bytes.toByteArray()));
          case SNAPPY -> BytesInput.from(Snappy.compress(bytes.toByteArray()));
          case GZIP -> gzip(bytes);
          default -> throw unknown(name);
        };
      }

      @Override
      public CompressionCodecName getCodecName() {
        return name;
      }

      @Override
      public void release() {
        // It holds nothing.
      }
    };
  }

  private static BytesInput gzip(BytesInput bytes) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (GZIPOutputStream gzip = new GZIPOutputStream(out)) {
      bytes.writeAllTo(gzip);
    }
    return BytesInput.from(out.toByteArray());
  }

  @Override
  public BytesInputDecompressor getDecompressor(CompressionCodecName name) {
    return new BytesInputDecompressor() {
      @Override
      public BytesInput decompress(BytesInput bytes, int size) throws IOException {
        return BytesInput.from(plain(bytes.toByteArray(), size));
      }

      @Override
      public void decompress(ByteBuffer from, int compressed, ByteBuffer to, int size)
          throws IOException {
        byte[] bytes = new byte[compressed];
        from.get(bytes);
        to.put(plain(bytes, size));
      }

      private byte[] plain(byte[] bytes, int size) throws IOException {
        return switch (name) {
          case UNCOMPRESSED -> bytes;
          case ZSTD -> Zstd.decompress(bytes, size);
          case SNAPPY -> Snappy.uncompress(bytes);
          case GZIP -> {
            try (GZIPInputStream in = new GZIPInputStream(new ByteArrayInputStream(bytes))) {
              yield in.readNBytes(size);
            }
          }
          default -> throw unknown(name);
        };
      }

      @Override
      public void release() {
        // It holds nothing.
      }
    };
  }

  private static IllegalArgumentException unknown(CompressionCodecName name) {
    return new IllegalArgumentException("pages compressed by " + name + " are not ours");
  }

  @Override
  public void release() {
    // It holds nothing.
  }
}
