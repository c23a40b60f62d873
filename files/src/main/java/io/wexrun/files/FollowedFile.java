package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Lines;
import io.wexrun.core.intake.SourcePartition;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Arrays;
import java.util.Optional;

/** One file that is read from a position on, in blocks of whole lines, as it grows. */
final class FollowedFile implements AutoCloseable {
  /** A line longer than this is cut into records of this length, each too long to be taken. */
  private static final int LONGEST_LINE = 16 << 20;

  private static final int BLOCK = 1 << 20;

  private final Path path;
  private final SourcePartition source;
  private final boolean takeLastLine;
  private FileChannel channel;
  private long position;
  private byte[] rest = {};

  /**
   * A file that goes on at a position.
   *
   * @param takeLastLine whether bytes after the last line end are a record once the file ends
   */
  FollowedFile(Path path, SourcePartition source, long position, boolean takeLastLine) {
    this.path = path;
    this.source = source;
    this.position = position;
    this.takeLastLine = takeLastLine;
  }

  SourcePartition source() {
    return source;
  }

  /** How many bytes stand after the last line end that was read. */
  int unfinished() {
    return rest.length;
  }

  /**
   * The next lines, if the file has any more.
   *
   * @throws NoSuchFileException if the file is not there any more
   * @throws OutsideException if it is shorter than what was read of it
   */
  Optional<Block> next() throws IOException {
    long size = Files.size(path);
    long read = position + rest.length;
    if (size < read) {
      throw new OutsideException(
          path
              + " has shrunk to "
              + size
              + " bytes, but "
              + read
              + " were read: it was cut or written anew. Give a new file a new name, or put the"
              + " old one back");
    }
    if (size == read && !(takeLastLine && rest.length > 0)) {
      close();
      return Optional.empty();
    }
    if (channel == null) {
      channel = FileChannel.open(path, StandardOpenOption.READ);
    }
    byte[] data = rest;
    int length = rest.length;
    // Invariant: data[0, length) are the bytes from position on, and hold no line end.
    while (position + length < size) {
      int before = length;
      data = Arrays.copyOf(data, length + (int) Math.min(size - position - length, BLOCK));
      length += readInto(data, length);
      int end = length;
      while (end > before && data[end - 1] != '\n') {
        end--;
      }
      if (end > before) {
        return Optional.of(block(data, end, length));
      }
      if (length >= LONGEST_LINE) {
        return Optional.of(block(data, LONGEST_LINE, length));
      }
      if (length == before) {
        break;
      }
    }
    if (takeLastLine && length > 0) {
      return Optional.of(block(data, length, length));
    }
    rest = Arrays.copyOf(data, length);
    return Optional.empty();
  }

  private Block block(byte[] data, int end, int length) {
    rest = Arrays.copyOfRange(data, end, length);
    long first = position;
    position += end;
    return new Block(source, first, position, data, end, Lines.FRAMING);
  }

  private int readInto(byte[] data, int from) throws IOException {
    ByteBuffer buffer = ByteBuffer.wrap(data, from, data.length - from);
    long at = position + from;
    while (buffer.hasRemaining()) {
      int n = channel.read(buffer, at + buffer.position() - from);
      if (n < 0) {
        break;
      }
    }
    return buffer.position() - from;
  }

  @Override
  public void close() throws IOException {
    if (channel != null) {
      channel.close();
      channel = null;
    }
  }
}
