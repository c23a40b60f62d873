package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.Optional;
import java.util.zip.CRC32C;

/**
 * Who a file is, whatever its name: its device and number, which a new file may get from one that
 * is gone, and a checksum of its first bytes, as many as are known so far.
 *
 * <pre>{@code
 * Identity --> Key, " ", Bytes, ":", Checksum
 * }</pre>
 *
 * @param bytes how many of the first bytes it covers
 */
record Fingerprint(Optional<Identity> identity, long bytes) {
  /** Of a file that was not looked at yet. */
  static final Fingerprint NONE = new Fingerprint(Optional.empty(), -1);

  private static final int MOST = 1024;

  /**
   * The fingerprint of a file of which some bytes were read; this one if it cannot be more exact.
   */
  Fingerprint of(Path path, long read) {
    if (bytes >= Math.min(MOST, read)) {
      return this;
    }
    try (InputStream in = Files.newInputStream(path)) {
      byte[] first = in.readNBytes((int) Math.min(MOST, read));
      CRC32C crc = new CRC32C();
      crc.update(first);
      String text = key(path) + " " + first.length + ":" + Long.toHexString(crc.getValue());
      return new Fingerprint(Optional.of(new Identity(text)), first.length);
    } catch (NoSuchFileException e) {
      return this;
    } catch (IOException e) {
      throw new OutsideException("cannot read " + path + ": " + e.getMessage(), e);
    }
  }

  private static String key(Path path) throws IOException {
    if (path.getFileSystem().supportedFileAttributeViews().contains("unix")) {
      return Files.getAttribute(path, "unix:dev") + "/" + Files.getAttribute(path, "unix:ino");
    }
    return "none";
  }
}
