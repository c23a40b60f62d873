package io.wexrun.core.rollup;

import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Column;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.UUID;

/**
 * Numbers the different combinations of values in some columns, from 0, in the order in which they
 * come: a hash table with open addressing over columns. An absent value is one of its own. For one
 * thread.
 */
final class Groups {
  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final long PRIME = 0x9E3779B97F4A7C15L;
  private static final long ABSENT = 0x2545F4914F6CDD1DL;

  private final List<Column> columns;
  private final List<Vector> values = new ArrayList<>();
  private int[] slots = new int[256];
  private long[] hashes = new long[64];
  private int count;

  /** No groups of the values in some columns, none of them nested. */
  Groups(List<Column> columns) {
    this.columns = columns;
    columns.forEach(column -> values.add(Vectors.forType(column.type(), 64)));
  }

  /** How many groups there are. */
  int count() {
    return count;
  }

  /** The values of a column, a row for each group. */
  Vector values(int column) {
    return values.get(column);
  }

  /**
   * The groups of rows.
   *
   * @param places where the columns stand in the rows' batch
   * @return a group for each row
   */
  int[] of(Rows rows, int[] places) {
    Vector[] from = new Vector[places.length];
    long[] hash = new long[rows.count()];
    for (int c = 0; c < places.length; c++) {
      from[c] = rows.batch().column(places[c]);
      mix(rows, from[c], hash);
    }
    int[] groups = new int[rows.count()];
    for (int i = 0; i < groups.length; i++) {
      groups[i] = group(hash[i], from, rows.row(i));
    }
    return groups;
  }

  private static void mix(Rows rows, Vector from, long[] hash) {
    if (from instanceof LongVector numbers) {
      for (int i = 0; i < hash.length; i++) {
        int row = rows.row(i);
        hash[i] = mix(hash[i], numbers.absent(row) ? ABSENT : numbers.get(row));
      }
    } else if (from instanceof DoubleVector numbers) {
      for (int i = 0; i < hash.length; i++) {
        int row = rows.row(i);
        hash[i] = mix(hash[i], numbers.absent(row) ? ABSENT : bits(numbers.get(row)));
      }
    } else {
      TextVector texts = (TextVector) from;
      byte[] data = texts.data();
      int[] offsets = texts.offsets();
      for (int i = 0; i < hash.length; i++) {
        int row = rows.row(i);
        long value = texts.absent(row) ? ABSENT : hash(data, offsets[row], offsets[row + 1]);
        hash[i] = mix(hash[i], value);
      }
    }
  }

  private static long mix(long hash, long value) {
    long mixed = (hash ^ value) * PRIME;
    return mixed ^ mixed >>> 32;
  }

  /** Up to seven bytes as one word. */
  private static long word(byte[] data, int from, int to) {
    if (to >= Long.BYTES && from < to) {
      return (long) WORDS.get(data, to - Long.BYTES) >>> (Long.BYTES - (to - from)) * Byte.SIZE;
    }
    long word = 0;
    for (int at = to - 1; at >= from; at--) {
      word = word << Byte.SIZE | data[at] & 0xFF;
    }
    return word;
  }

  /** A hash of bytes, by words of eight; the last one may have some of the one before. */
  private static long hash(byte[] data, int from, int to) {
    long hash = to - from;
    if (to - from < Long.BYTES) {
      return mix(hash, word(data, from, to));
    }
    for (int at = from; at < to - Long.BYTES; at += Long.BYTES) {
      hash = mix(hash, (long) WORDS.get(data, at));
    }
    return mix(hash, (long) WORDS.get(data, to - Long.BYTES));
  }

  /** Numbers that are equal have the same bits: both zeros, and every NaN. */
  private static long bits(double value) {
    return Double.doubleToLongBits(value + 0.0);
  }

  private int group(long hash, Vector[] from, int row) {
    int at = (int) hash & slots.length - 1;
    while (slots[at] != 0) {
      int group = slots[at] - 1;
      if (hashes[group] == hash && same(from, row, group)) {
        return group;
      }
      at = at + 1 & slots.length - 1;
    }
    if (count == hashes.length) {
      hashes = Arrays.copyOf(hashes, count * 2);
    }
    hashes[count] = hash;
    for (int c = 0; c < from.length; c++) {
      values.get(c).appendFrom(from[c], row);
    }
    slots[at] = ++count;
    if (count * 2 > slots.length) {
      widen();
    }
    return count - 1;
  }

  private void widen() {
    slots = new int[slots.length * 4];
    for (int group = 0; group < count; group++) {
      int at = (int) hashes[group] & slots.length - 1;
      while (slots[at] != 0) {
        at = at + 1 & slots.length - 1;
      }
      slots[at] = group + 1;
    }
  }

  private boolean same(Vector[] from, int row, int group) {
    for (int c = 0; c < from.length; c++) {
      if (!same(from[c], row, values.get(c), group)) {
        return false;
      }
    }
    return true;
  }

  private static boolean same(Vector a, int i, Vector b, int j) {
    if (a.absent(i) || b.absent(j)) {
      return a.absent(i) == b.absent(j);
    }
    if (a instanceof LongVector numbers) {
      return numbers.get(i) == ((LongVector) b).get(j);
    }
    if (a instanceof DoubleVector numbers) {
      return bits(numbers.get(i)) == bits(((DoubleVector) b).get(j));
    }
    TextVector x = (TextVector) a;
    TextVector y = (TextVector) b;
    int length = x.end(i) - x.start(i);
    return length == y.end(j) - y.start(j)
        && same(x.data(), x.start(i), y.data(), y.start(j), length);
  }

  private static boolean same(byte[] a, int from, byte[] b, int at, int length) {
    if (length < Long.BYTES) {
      return word(a, from, from + length) == word(b, at, at + length);
    }
    int last = length - Long.BYTES;
    for (int k = 0; k < last; k += Long.BYTES) {
      if ((long) WORDS.get(a, from + k) != (long) WORDS.get(b, at + k)) {
        return false;
      }
    }
    return (long) WORDS.get(a, from + last) == (long) WORDS.get(b, at + last);
  }

  /**
   * What tells a group from all others, in every process: a UUID of version 8 (RFC 9562, section
   * 5.8) from the SHA-256 digest of its values, each one with its length before it.
   */
  UUID id(int group) {
    MessageDigest digest = sha256();
    for (int c = 0; c < columns.size(); c++) {
      Vector from = values.get(c);
      byte[] bytes = from.absent(group) ? null : bytes(from, group);
      digest.update(ByteBuffer.allocate(4).putInt(bytes == null ? -1 : bytes.length).array());
      if (bytes != null) {
        digest.update(bytes);
      }
    }
    ByteBuffer first = ByteBuffer.wrap(digest.digest());
    long high = first.getLong() & ~0xF000L | 0x8000L;
    long low = first.getLong() & 0x3FFFFFFFFFFFFFFFL | 0x8000000000000000L;
    return new UUID(high, low);
  }

  private static byte[] bytes(Vector from, int group) {
    if (from instanceof TextVector texts) {
      return Arrays.copyOfRange(texts.data(), texts.start(group), texts.end(group));
    }
    String text =
        from instanceof LongVector numbers
            ? Long.toString(numbers.get(group))
            : Long.toHexString(bits(((DoubleVector) from).get(group)));
    return text.getBytes(StandardCharsets.UTF_8);
  }

  private static MessageDigest sha256() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }
}
