package io.wexrun.queue.disk;

import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;

/** An open file. Reads may come from several threads, writes from one at a time. */
public interface DiskFile extends Closeable {
  /** How many bytes it has. */
  long size() throws IOException;

  /** Reads until the buffer is full or the file ends; returns how many bytes were read. */
  int read(long position, ByteBuffer into) throws IOException;

  /** Writes all remaining bytes at a position, or throws; then some of them may be written. */
  void write(long position, ByteBuffer from) throws IOException;

  /** Cuts the file. */
  void truncate(long size) throws IOException;

  /** Returns when everything written, and the file's name, survives the loss of power. */
  void sync() throws IOException;
}
