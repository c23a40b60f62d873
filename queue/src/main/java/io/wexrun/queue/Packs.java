package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Ascii;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Takes whole packs apart. */
final class Packs {
  /** Cuts a block of whole packs into their values; the position of a record is its number. */
  static final Framing FRAMING =
      new Framing() {
        @Override
        public Records cut(Block block) {
          return Packs.cut(block);
        }

        @Override
        public String form() {
          return "packs";
        }
      };

  private final byte[] data;
  private int at;

  private Packs(byte[] data, int at) {
    this.data = data;
    this.at = at;
  }

  private static Records cut(Block block) {
    byte[] data = block.data();
    int[] starts = new int[(int) (block.end() - block.first())];
    int[] ends = new int[starts.length];
    long[] times = new long[starts.length];
    // Records that were compressed stand together in an array of their own.
    boolean own = anyCompressed(block);
    byte[] all = own ? new byte[block.length() * 3] : data;
    int filled = 0;
    int count = 0;
    int at = 0;
    long first = block.first(); // The first position that has a record may stand behind it.
    while (at < block.length()) {
      Pack pack = checked(block, data, at);
      Packs packs = of(pack, data, at).orElseThrow(() -> damaged(block));
      for (long position = pack.baseOffset(); position < pack.end(); position++) {
        long time = pack.firstTime() + packs.skipToValue();
        int length = (int) packs.varint();
        if (position >= block.first() && position < block.end()) {
          first = count == 0 ? position : first;
          if (own) {
            if (filled + length > all.length) {
              all = Arrays.copyOf(all, Math.max(all.length * 2, filled + length));
            }
            System.arraycopy(packs.data, packs.at, all, filled, length);
            starts[count] = filled;
            filled += length;
          } else {
            starts[count] = packs.at;
          }
          times[count] = time * 1000;
          ends[count] = starts[count] + length;
          count++;
        }
        packs.at += length;
      }
      at += pack.bytes();
    }
    BitSet odd = new BitSet();
    for (int i = 0; i < count; i++) {
      if (!Ascii.all(all, starts[i], ends[i])) {
        odd.set(i);
      }
    }
    return Records.numbered(all, starts, ends, count, first, odd).takenAt(times);
  }

  private static boolean anyCompressed(Block block) {
    boolean any = false;
    for (int at = 0; at < block.length() && !any; ) {
      Pack pack =
          Pack.read(block.data(), at, block.length() - at).orElseThrow(() -> damaged(block));
      any = pack.codec() != Codec.NONE;
      at += pack.bytes();
    }
    return any;
  }

  /** The records of a pack, at their first; empty if they cannot be decompressed. */
  private static Optional<Packs> of(Pack pack, byte[] data, int at) {
    int body = at + Pack.HEADER + pack.producerLength();
    if (pack.codec() == Codec.NONE) {
      return Optional.of(new Packs(data, body));
    }
    int length = java.nio.ByteBuffer.wrap(data).getInt(body);
    return pack.codec()
        .decompress(data, body + 4, at + pack.bytes(), length)
        .map(raw -> new Packs(raw, 0));
  }

  private static Pack checked(Block block, byte[] data, int at) {
    Optional<Pack> pack = Pack.read(data, at, block.length() - at);
    if (pack.isEmpty() || !pack.get().whole(data, at)) {
      throw damaged(block);
    }
    return pack.get();
  }

  private static OutsideException damaged(Block block) {
    return damaged("queue partition " + block.source(), block.first());
  }

  private static OutsideException damaged(String partition, long position) {
    return new OutsideException(
        partition
            + " is damaged near position "
            + position
            + ": a pack's checksum is wrong. Nothing was taken from it; 'wexrun queue verify' says"
            + " more, and 'wexrun queue repair' keeps what is whole");
  }

  /** The headers of a pack's only record, of which no more than the beginning need be there. */
  static Map<String, String> headers(Pack pack, byte[] data) {
    Packs packs = new Packs(data, Pack.HEADER + pack.producerLength());
    packs.varint(); // It has no key.
    packs.varint();
    return packs.headers();
  }

  /** Passes over what stands before the value; how long after the pack's first time it was. */
  private long skipToValue() {
    long key = varint();
    at += key == 0 ? 0 : (int) key - 1;
    long later = varint();
    for (long headers = varint(); headers > 0; headers--) {
      at += (int) varint();
      at += (int) varint();
    }
    return later;
  }

  private long varint() {
    long value = 0;
    for (int shift = 0; ; shift += 7) {
      byte b = data[at++];
      value |= (b & 0x7FL) << shift;
      if (b >= 0) {
        return value;
      }
    }
  }

  /** All records of the whole packs in {@code data[0, length)}, from a position on. */
  static List<QueueRecord> records(int partition, byte[] data, int length, long from) {
    List<QueueRecord> records = new ArrayList<>();
    int at = 0;
    while (at < length) {
      at = records(partition, data, at, length, from, records);
    }
    return records;
  }

  /** Adds the records of the pack at a place, from a position on; where the next pack stands. */
  static int records(
      int partition, byte[] data, int at, int length, long from, Collection<QueueRecord> records) {
    Pack pack = Pack.read(data, at, length - at).orElseThrow();
    if (!pack.whole(data, at)) {
      throw damaged("partition " + partition, pack.baseOffset());
    }
    Packs packs = of(pack, data, at).orElseThrow();
    for (long position = pack.baseOffset(); position < pack.end(); position++) {
      QueueRecord record = packs.record(partition, position, pack.firstTime());
      if (position >= from) {
        records.add(record);
      }
    }
    return at + pack.bytes();
  }

  private QueueRecord record(int partition, long position, long firstTime) {
    long key = varint();
    Optional<byte[]> keyBytes = key == 0 ? Optional.empty() : Optional.of(bytes((int) key - 1));
    long time = firstTime + varint();
    Map<String, String> headers = headers();
    return new QueueRecord(partition, position, time, keyBytes, headers, bytes((int) varint()));
  }

  private Map<String, String> headers() {
    long left = varint();
    Map<String, String> headers = left == 0 ? Map.of() : new LinkedHashMap<>();
    for (; left > 0; left--) {
      String name = new String(bytes((int) varint()), StandardCharsets.UTF_8);
      headers.put(name, new String(bytes((int) varint()), StandardCharsets.UTF_8));
    }
    return headers;
  }

  private byte[] bytes(int length) {
    at += length;
    return Arrays.copyOfRange(data, at - length, at);
  }
}
