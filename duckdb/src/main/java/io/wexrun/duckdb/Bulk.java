package io.wexrun.duckdb;

import java.nio.ByteOrder;
import org.apache.arrow.memory.ArrowBuf;

/** Copies arrays into Arrow buffers, which are little-endian, at one go. */
final class Bulk {
  private Bulk() {}

  static void copy(long[] from, int start, ArrowBuf to, long at, int count) {
    to.nioBuffer(at, count * 8)
        .order(ByteOrder.LITTLE_ENDIAN)
        .asLongBuffer()
        .put(from, start, count);
  }

  static void copy(double[] from, int start, ArrowBuf to, long at, int count) {
    to.nioBuffer(at, count * 8)
        .order(ByteOrder.LITTLE_ENDIAN)
        .asDoubleBuffer()
        .put(from, start, count);
  }
}
