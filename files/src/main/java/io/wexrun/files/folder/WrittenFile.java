package io.wexrun.files.folder;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.util.Optional;
import java.util.zip.CRC32C;

/**
 * A file with rows as a log names it.
 *
 * @param name its name
 * @param sum what it holds; empty if the version that wrote it did not note that
 */
record WrittenFile(String name, Optional<Sum> sum) {
  private static final int BUFFER = 1 << 18;

  /**
   * What tells the content of a file from others.
   *
   * @param bytes how long the file is
   * @param crc the CRC-32C of its bytes, in 8 hexadecimal digits
   */
  record Sum(long bytes, String crc) {
    /** Reads a file to its end. */
    static Sum of(Path file) throws IOException {
      CRC32C crc = new CRC32C();
      ByteBuffer buffer = ByteBuffer.allocate(BUFFER);
      long bytes = 0;
      try (FileChannel channel = FileChannel.open(file)) {
        while (channel.read(buffer.clear()) >= 0) {
          bytes += buffer.position();
          crc.update(buffer.flip());
        }
      }
      return new Sum(bytes, String.format("%08x", crc.getValue()));
    }
  }

  /** A file that has just been written. */
  static WrittenFile of(String name, Path file) throws IOException {
    return new WrittenFile(name, Optional.of(Sum.of(file)));
  }

  WrittenFile as(String other) {
    return new WrittenFile(other, sum);
  }
}
