package io.wexrun.network.http;

import com.github.luben.zstd.ZstdInputStreamNoFinalizer;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.Locale;
import java.util.zip.GZIPInputStream;
import java.util.zip.InflaterInputStream;

/** Bodies as they were before they were compressed for the way. */
public final class Unpacked {
  /** Nothing that is honest becomes so many times as long. */
  private static final int RATIO = 200;

  private static final int SMALL = 1 << 20;

  private Unpacked() {}

  /**
   * A body without its content encoding (RFC 9110, section 8.4).
   *
   * @param most how many bytes it may have then
   */
  public static byte[] of(byte[] body, String encoding, int most) throws RefusedException {
    String name = encoding.strip().toLowerCase(Locale.ROOT);
    if (name.isEmpty() || name.equals("identity")) {
      return body;
    }
    if (!name.matches("gzip|x-gzip|deflate|zstd")) {
      throw new RefusedException(
          Answer.problem(
                  Answer.NO_SUCH_FORM,
                  "its content encoding is '" + encoding + "': gzip, deflate and zstd are taken")
              .with("accept-encoding", "gzip, deflate, zstd"));
    }
    // What a few bytes may become is bounded by more than what a request may have.
    int bound = (int) Math.min(most, Math.max(SMALL, (long) body.length * RATIO));
    try (InputStream in = open(body, name)) {
      byte[] plain = in.readNBytes(bound);
      if (plain.length == bound && in.read() >= 0) {
        throw new RefusedException(
            Answer.problem(
                Answer.TOO_LARGE,
                "unpacked, it has more than the "
                    + bound
                    + " bytes that are taken of "
                    + body.length
                    + ": send several"));
      }
      return plain;
    } catch (IOException e) {
      throw new RefusedException(
          Answer.problem(Answer.BAD, "it is not " + encoding + ": " + e.getMessage()));
    }
  }

  private static InputStream open(byte[] body, String name) throws IOException {
    InputStream bytes = new ByteArrayInputStream(body);
    return switch (name) {
      case "zstd" -> new ZstdInputStreamNoFinalizer(bytes);
      case "deflate" -> new InflaterInputStream(bytes);
      default -> new GZIPInputStream(bytes, 8192);
    };
  }
}
