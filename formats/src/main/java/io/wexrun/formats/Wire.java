package io.wexrun.formats;

/**
 * Reads the wire format of Protocol Buffers ("Encoding", protobuf.dev): tags, varints, fixed
 * numbers, lengths. A place that lies behind the end, or {@link #FAULT}, says that the bytes are no
 * message. For one thread.
 */
final class Wire {
  static final int FAULT = -1;
  static final int VARINT = 0;
  static final int FIXED64 = 1;
  static final int LENGTH = 2;
  static final int GROUP = 3;
  static final int GROUP_END = 4;
  static final int FIXED32 = 5;

  /** Groups and messages may be nested so deep. */
  static final int DEEPEST = 100;

  private byte[] data = {};
  private int end;
  private long value;

  void over(byte[] bytes, int to) {
    data = bytes;
    end = to;
  }

  /** What {@link #varint} or the fixed numbers read last. */
  long value() {
    return value;
  }

  /** The varint read last as a tag: of 32 bits, as the official libraries cut it. */
  long tag() {
    return value & 0xFFFFFFFFL;
  }

  /** Reads a base-128 varint of at most ten bytes. */
  int varint(int at) {
    long read = 0;
    int place = at;
    for (int shift = 0; shift < 70 && place < end; shift += 7) {
      byte b = data[place++];
      if (shift < 64) {
        read |= (b & 0x7FL) << shift;
      }
      if (b >= 0) {
        value = read;
        return place;
      }
    }
    return FAULT;
  }

  /** Reads a little-endian number of four or eight bytes. */
  int fixed(int at, int bytes) {
    if (at + bytes > end) {
      return FAULT;
    }
    long read = 0;
    for (int i = bytes - 1; i >= 0; i--) {
      read = read << 8 | data[at + i] & 0xFF;
    }
    value = read;
    return at + bytes;
  }

  /** Reads a length; the bytes that it counts are there. */
  int length(int at) {
    int place = varint(at);
    return place == FAULT || value < 0 || value > end - place ? FAULT : place;
  }

  /** Passes over the value behind a tag. */
  int skip(int at, long tag, int depth) {
    switch ((int) tag & 7) {
      case VARINT:
        return varint(at);
      case FIXED64:
        return fixed(at, 8);
      case FIXED32:
        return fixed(at, 4);
      case LENGTH:
        int place = length(at);
        return place == FAULT ? FAULT : place + (int) value;
      case GROUP:
        return depth > DEEPEST ? FAULT : group(at, tag, depth);
      default:
        return FAULT;
    }
  }

  private int group(int at, long tag, int depth) {
    int place = at;
    while (true) {
      place = varint(place);
      if (place == FAULT || tag() >>> 3 == 0) {
        return FAULT;
      }
      long inside = tag();
      if ((inside & 7) == GROUP_END) {
        return inside >>> 3 == tag >>> 3 ? place : FAULT;
      }
      place = skip(place, inside, depth + 1);
      if (place == FAULT) {
        return FAULT;
      }
    }
  }
}
