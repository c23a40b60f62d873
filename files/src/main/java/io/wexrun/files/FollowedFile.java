package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Instant;
import java.util.Arrays;
import java.util.Optional;
import java.util.OptionalLong;

/** One file that is read from a position on, in blocks of whole lines, as it grows. */
final class FollowedFile implements AutoCloseable {
  /** A line longer than this is cut into records of this length, each too long to be taken. */
  private static final int LONGEST_LINE = 16 << 20;

  private static final int BLOCK = 1 << 20;
  private static final int HEADER = 8 << 10;

  private static final byte[] NOTHING = {};

  private final Path path;
  private final SourcePartition source;
  private final Reading reading;
  private FileChannel channel;
  private long start;
  private long position;
  private Fingerprint fingerprint = Fingerprint.NONE;
  private byte[] rest = NOTHING;
  private byte[] header;

  /** How many bytes stand there while the header has no end. */
  private long headerSoFar;

  /**
   * How files are read.
   *
   * @param takeLastLine whether bytes after the last line end are a record once the file ends
   * @param header whether the first record is a header, which goes with every block
   * @param framing what cuts blocks into records
   */
  record Reading(boolean takeLastLine, boolean header, Framing framing) {
    static final Reading LINES = new Reading(false, false, Lines.FRAMING);
  }

  /** A file that is read from its start until it {@linkplain #goTo goes} elsewhere. */
  FollowedFile(Path path, SourcePartition source, Reading reading) {
    this.path = path;
    this.source = source;
    this.reading = reading;
    this.header = reading.header() ? null : NOTHING;
  }

  SourcePartition source() {
    return source;
  }

  /**
   * Where the first record stands: at 0, or behind the header.
   *
   * @return empty as long as the header is not whole
   */
  OptionalLong start() throws IOException {
    if (header == null && !readHeader(Files.size(path))) {
      return OptionalLong.empty();
    }
    return OptionalLong.of(start);
  }

  /** Who the file is. */
  Optional<Identity> identity() {
    fingerprint = fingerprint.of(path, position + rest.length);
    return fingerprint.identity();
  }

  /**
   * Goes on with the record at a position.
   *
   * @throws OutsideException if the file is shorter
   */
  void goTo(long place) {
    try {
      requireSize(Files.size(path), place);
    } catch (IOException e) {
      throw new OutsideException("cannot read " + source + ": " + e.getMessage(), e);
    }
    position = place;
    rest = NOTHING;
  }

  private void requireSize(long size, long read) {
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
  }

  /** How many bytes stand after the last line end that was read. */
  long unfinished() {
    return header == null ? headerSoFar : rest.length;
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
    requireSize(size, read);
    if (size == read && !(reading.takeLastLine() && rest.length > 0)) {
      close();
      return Optional.empty();
    }
    open();
    byte[] data = rest;
    int length = rest.length;
    // Invariant: data[0, length) are the bytes from position on, and hold no line end.
    while (position + length < size) {
      int before = length;
      data = Arrays.copyOf(data, length + (int) Math.min(size - position - length, BLOCK));
      length += readInto(data, length);
      int end = reading.framing().end(data, before, length);
      if (end > 0) {
        return Optional.of(block(data, end, length));
      }
      if (length >= LONGEST_LINE) {
        return Optional.of(block(data, LONGEST_LINE, length));
      }
      if (length == before) {
        break;
      }
    }
    if (reading.takeLastLine() && length > 0) {
      return Optional.of(block(data, length, length));
    }
    rest = Arrays.copyOf(data, length);
    return Optional.empty();
  }

  private Block block(byte[] data, int end, int length) {
    rest = Arrays.copyOfRange(data, end, length);
    long first = position;
    position += end;
    long taken = Instants.micros(Instant.now());
    return new Block(source, first, position, data, end, reading.framing(), header, taken);
  }

  /** Reads the first record of the file; false if it has not ended yet. */
  private boolean readHeader(long size) throws IOException {
    open();
    byte[] data = new byte[0];
    int end = 0;
    while (end == 0 && data.length < size && data.length < LONGEST_LINE) {
      int before = data.length;
      data = Arrays.copyOf(data, (int) Math.min(size, before + HEADER));
      ByteBuffer more = ByteBuffer.wrap(data, before, data.length - before);
      while (more.hasRemaining() && channel.read(more, more.position()) >= 0) {
        // Until it is full, or the file ends.
      }
      end = firstEnd(data);
    }
    if (end == 0) {
      headerSoFar = size;
      return false;
    }
    int length = data[end - 1] == '\r' ? end - 1 : end;
    boolean mark =
        length >= 3 && data[0] == (byte) 0xEF && data[1] == (byte) 0xBB && data[2] == (byte) 0xBF;
    header = Arrays.copyOfRange(data, mark ? 3 : 0, length);
    start = end + 1L;
    position = start;
    return true;
  }

  /** The place of the line feed that ends the first record; 0 if there is none. */
  private int firstEnd(byte[] data) {
    for (int at = 0; at < data.length; at++) {
      if (data[at] == '\n' && reading.framing().end(data, 0, at + 1) == at + 1) {
        return at;
      }
    }
    return 0;
  }

  private void open() throws IOException {
    if (channel == null) {
      channel = FileChannel.open(path, StandardOpenOption.READ);
    }
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
