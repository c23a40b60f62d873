package io.wexrun.queue.log;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Reads unsigned LEB128 numbers, and what they tell the length of. For one thread. */
final class Varints {
  final byte[] data;
  int at;

  /** The names of the headers that were read last: those of the next record are mostly the same. */
  private final List<String> names = new ArrayList<>(0);

  Varints(byte[] data, int at) {
    this.data = data;
    this.at = at;
  }

  /** Writes a number as {@link #next} reads it. */
  static void write(long value, ByteArrayOutputStream out) {
    long rest = value;
    for (; (rest & ~0x7FL) != 0; rest >>>= 7) {
      out.write((int) (rest & 0x7F | 0x80));
    }
    out.write((int) rest);
  }

  long next() {
    long value = 0;
    for (int shift = 0; ; shift += 7) {
      byte b = data[at++];
      value |= (b & 0x7FL) << shift;
      if (b >= 0) {
        return value;
      }
    }
  }

  byte[] bytes(int length) {
    at += length;
    return Arrays.copyOfRange(data, at - length, at);
  }

  /** A length, and so many bytes of UTF-8. */
  String text() {
    int length = (int) next();
    at += length;
    return new String(data, at - length, length, StandardCharsets.UTF_8);
  }

  /**
   * A count, and so many names and values.
   *
   * @param common what stands before them
   */
  Map<String, String> headers(Map<String, String> common) {
    long left = next();
    Map<String, String> headers = left == 0 ? common : new LinkedHashMap<>(common);
    for (int i = 0; i < left; i++) {
      String name = name(i);
      headers.put(name, text());
    }
    return headers;
  }

  private String name(int number) {
    int before = at;
    int length = (int) next();
    if (number < names.size() && isNext(names.get(number), length)) {
      at += length;
      return names.get(number);
    }
    at = before;
    String name = text();
    if (number < names.size()) {
      names.set(number, name);
    } else {
      names.add(name);
    }
    return name;
  }

  /** Whether a name of letters that are single bytes comes next. */
  private boolean isNext(String name, int length) {
    boolean same = name.length() == length;
    for (int i = 0; same && i < length; i++) {
      same = data[at + i] == name.charAt(i);
    }
    return same;
  }

  /** Passes over headers. */
  void skipHeaders() {
    for (long left = next(); left > 0; left--) {
      skip(next());
      skip(next());
    }
  }

  /** Passes over bytes. */
  void skip(long bytes) {
    at += (int) bytes;
  }
}
