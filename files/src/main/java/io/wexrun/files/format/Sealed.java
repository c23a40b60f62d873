package io.wexrun.files.format;

import com.google.crypto.tink.InsecureSecretKeyAccess;
import com.google.crypto.tink.StreamingAead;
import com.google.crypto.tink.streamingaead.AesGcmHkdfStreamingKey;
import com.google.crypto.tink.streamingaead.AesGcmHkdfStreamingParameters;
import com.google.crypto.tink.streamingaead.AesGcmHkdfStreamingParameters.HashType;
import com.google.crypto.tink.subtle.AesGcmHkdfStreaming;
import com.google.crypto.tink.util.SecretBytes;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.io.DataInputStream;
import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.security.GeneralSecurityException;

/**
 * Bytes that only who has the key reads, and that nobody changes unnoticed.
 *
 * <pre>{@code
 * File   --> Header, Stream
 * Header --> "WXRE", version (1 byte: 1), length of the id (1 byte), id of the key (UTF-8),
 *            mark of the key (8 bytes)
 * }</pre>
 *
 * <p>The mark is {@link EncryptionKey#mark}. Stream is what Tink's AES256_GCM_HKDF_1MB writes, with
 * the header as its associated data: https://developers.google.com/tink/streaming-aead
 */
final class Sealed {
  static final byte[] MAGIC = "WXRE".getBytes(StandardCharsets.US_ASCII);

  private static final byte VERSION = 1;
  private static final int SEGMENT = 1 << 20;

  private Sealed() {}

  static OutputStream write(OutputStream to, EncryptionKey key) throws IOException {
    byte[] id = key.id().getBytes(StandardCharsets.UTF_8);
    byte[] mark = key.mark();
    ByteBuffer header = ByteBuffer.allocate(MAGIC.length + 2 + id.length + mark.length);
    header.put(MAGIC).put(VERSION).put((byte) id.length).put(id).put(mark);
    to.write(header.array());
    try {
      return cipher(key).newEncryptingStream(to, header.array());
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Reads what begins with a header. */
  static InputStream read(InputStream from, Path file, Keys keys) throws IOException {
    DataInputStream in = new DataInputStream(from);
    byte[] begin = in.readNBytes(MAGIC.length + 2);
    if (begin.length < MAGIC.length + 2) {
      throw damaged(file);
    }
    if (begin[MAGIC.length] != VERSION) {
      throw OutsideException.lasting(
          file + " is encrypted in a way that this version does not know: use a newer Wexrun");
    }
    byte[] id = in.readNBytes(begin[MAGIC.length + 1] & 0xFF);
    byte[] mark = in.readNBytes(EncryptionKey.MARK_BYTES);
    if (mark.length < EncryptionKey.MARK_BYTES) {
      throw damaged(file);
    }
    String name = new String(id, StandardCharsets.UTF_8);
    EncryptionKey key = keys.of(name, mark, file.toString());
    ByteBuffer header = ByteBuffer.allocate(begin.length + id.length + mark.length);
    header.put(begin).put(id).put(mark);
    try {
      return new Told(cipher(key).newDecryptingStream(in, header.array()), file);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  private static OutsideException damaged(Path file) {
    return OutsideException.lasting(
        file + " is damaged, or was changed or cut: what is encrypted in it cannot be read");
  }

  private static StreamingAead cipher(EncryptionKey key) throws GeneralSecurityException {
    AesGcmHkdfStreamingParameters parameters =
        AesGcmHkdfStreamingParameters.builder()
            .setKeySizeBytes(EncryptionKey.BYTES)
            .setDerivedAesGcmKeySizeBytes(32)
            .setHkdfHashType(HashType.SHA256)
            .setCiphertextSegmentSizeBytes(SEGMENT)
            .build();
    SecretBytes secret = SecretBytes.copyFrom(key.secret(), InsecureSecretKeyAccess.get());
    return AesGcmHkdfStreaming.create(AesGcmHkdfStreamingKey.create(parameters, secret));
  }

  /** Says of bytes that were changed which file they are in. */
  private static final class Told extends FilterInputStream {
    private final Path file;

    Told(InputStream in, Path file) {
      super(in);
      this.file = file;
    }

    @Override
    public int read() throws IOException {
      byte[] one = new byte[1];
      return read(one, 0, 1) < 0 ? -1 : one[0] & 0xFF;
    }

    @Override
    public int read(byte[] to, int at, int count) throws IOException {
      try {
        return in.read(to, at, count);
      } catch (IOException e) {
        throw damaged(file);
      }
    }
  }
}
