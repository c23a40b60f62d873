package io.wexrun.queue.log;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Map;

/** Collects records into the bytes of one pack. For one thread. */
public final class PackBuilder {
  private final PackHead head;
  private byte[] data;
  private int length;
  private int headLength;
  private int count;
  private long firstTime;
  private long lastTime;
  private Codec codec = Codec.NONE;
  private long weight;

  public PackBuilder(PackHead head, int room) {
    this.head = head;
    this.data = new byte[Math.max(room, 256)];
    clear();
  }

  public void clear() {
    length = Pack.HEADER;
    text(head.producer());
    varint(head.sourceHeader().length);
    bytes(head.sourceHeader(), 0, head.sourceHeader().length);
    headers(head.headers());
    headLength = length - Pack.HEADER;
    count = 0;
    codec = Codec.NONE;
  }

  public String producer() {
    return head.producer();
  }

  public int count() {
    return count;
  }

  /** Adds to what the pack counts for its producer. */
  public void weigh(int more) {
    weight += more;
  }

  public long weight() {
    return weight;
  }

  /** Bytes so far, the header included. */
  public int bytes() {
    return length;
  }

  /**
   * Adds a record.
   *
   * @param key may be null for none
   * @param timeMillis when it is appended; a time before that of the first record counts as it
   * @param age milliseconds since an intake first took it, at least 0
   */
  public void add(
      byte[] key,
      int keyFrom,
      int keyTo,
      Map<String, String> headers,
      byte[] value,
      int from,
      int to,
      long timeMillis,
      long age) {
    if (count++ == 0) {
      firstTime = timeMillis;
      lastTime = timeMillis;
    }
    long time = Math.max(timeMillis, firstTime);
    lastTime = Math.max(lastTime, time);
    if (key == null) {
      varint(0);
    } else {
      varint(keyTo - keyFrom + 1L);
      bytes(key, keyFrom, keyTo);
    }
    varint(time - firstTime);
    varint(age);
    headers(headers);
    varint(to - from);
    bytes(value, from, to);
  }

  private void headers(Map<String, String> headers) {
    varint(headers.size());
    headers.forEach(
        (name, text) -> {
          text(name);
          text(text);
        });
  }

  private void text(String text) {
    byte[] utf8 = text.getBytes(StandardCharsets.UTF_8);
    varint(utf8.length);
    bytes(utf8, 0, utf8.length);
  }

  private void varint(long value) {
    room(10);
    long rest = value;
    while ((rest & ~0x7FL) != 0) {
      data[length++] = (byte) (rest | 0x80);
      rest >>>= 7;
    }
    data[length++] = (byte) rest;
  }

  private void bytes(byte[] source, int from, int to) {
    room(to - from);
    System.arraycopy(source, from, data, length, to - from);
    length += to - from;
  }

  private void room(int more) {
    if (length + more > data.length) {
      data = Arrays.copyOf(data, Math.max(data.length * 2, length + more));
    }
  }

  /** Gives back the memory that the pack does not need. */
  public void trim() {
    if (length < data.length / 2) {
      data = Arrays.copyOf(data, length);
    }
  }

  /** Ends the pack, compressed if that makes it smaller; its size is then {@link #bytes()}. */
  public void seal(Codec wanted) {
    codec = Codec.NONE;
    int body = Pack.HEADER + headLength;
    if (wanted == Codec.NONE) {
      return;
    }
    byte[] compressed = wanted.compress(data, body, length);
    if (compressed.length + 4 < length - body) {
      ByteBuffer.wrap(data).putInt(body, length - body);
      System.arraycopy(compressed, 0, data, body + 4, compressed.length);
      length = body + 4 + compressed.length;
      codec = wanted;
    }
  }

  /** Writes the header; the bytes are then in {@link #data()}. */
  public Pack finish(long baseOffset, long sequence, long durable) {
    Pack pack =
        new Pack(
            Pack.VERSION,
            codec.ordinal(),
            0,
            length - Pack.HEADER,
            baseOffset,
            count,
            headLength,
            firstTime,
            lastTime,
            sequence,
            durable);
    pack.write(data);
    return pack;
  }

  public byte[] data() {
    return data;
  }
}
