package io.wexrun.files.content;

import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Optional;

/** The bytes of a file; of a compressed one, those that were compressed. For one thread. */
public interface Content extends Closeable {
  /**
   * Opens a file.
   *
   * @param unpacking what is done if it is compressed
   */
  static Content open(Path path, Unpacking unpacking) throws IOException {
    Optional<Packed> how = unpacking.unpack() ? Packed.how(path) : Optional.empty();
    return how.isPresent()
        ? new Unpacked(path, how.get(), unpacking)
        : new Plain(FileChannel.open(path, StandardOpenOption.READ));
  }

  /** Whether a file is compressed, and unpacked when it is opened. */
  static boolean isPacked(Path path, Unpacking unpacking) throws IOException {
    return unpacking.unpack() && Packed.how(path).isPresent();
  }

  /** Whether it was compressed: then nothing is written behind its end. */
  boolean packed();

  /**
   * How many bytes there are. A compressed file is unpacked somewhat beyond a place for this, and
   * says how far that is; only if that is not beyond the place, it is the end.
   */
  long size(long place) throws IOException;

  /** Reads from a place on, until the buffer is full or the bytes end; how many were read. */
  int read(ByteBuffer into, long from) throws IOException;

  /**
   * Where the file begins that a place is in: 0, but for archives, whose files stand one behind the
   * other, as far as they were unpacked.
   */
  default long partStart(long place) {
    return 0;
  }

  /** Where that file ends; the largest number as long as that is not known. */
  default long partEnd(long place) {
    return Long.MAX_VALUE;
  }

  /** The name of that file in its archive; empty if there is no archive. */
  default String member(long place) {
    return "";
  }

  /**
   * Why the bytes end before what was compressed does; empty if they do not, as far as is known.
   */
  Optional<String> broken();

  /** A file as it is. */
  record Plain(FileChannel channel) implements Content {
    @Override
    public boolean packed() {
      return false;
    }

    @Override
    public long size(long place) throws IOException {
      return channel.size();
    }

    @Override
    public int read(ByteBuffer into, long from) throws IOException {
      int before = into.position();
      while (into.hasRemaining()) {
        int n = channel.read(into, from + into.position() - before);
        if (n < 0) {
          break;
        }
      }
      return into.position() - before;
    }

    @Override
    public Optional<String> broken() {
      return Optional.empty();
    }

    @Override
    public void close() throws IOException {
      channel.close();
    }
  }
}
