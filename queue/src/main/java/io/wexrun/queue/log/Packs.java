package io.wexrun.queue.log;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Ascii;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/** Takes whole packs apart. */
public final class Packs {
  /** Cuts a block of whole packs into their values; the position of a record is its number. */
  public static final Framing FRAMING =
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

  private Packs() {}

  private static Records cut(Block block) {
    byte[] data = block.data();
    int most = (int) (block.end() - block.first());
    int[] starts = new int[most];
    int[] ends = new int[most];
    int[] frames = new int[most];
    long[] times = new long[most];
    // What was compressed stands together in an array of its own.
    Bodies bodies = anyCompressed(block) ? new Bodies(block.length() * 3) : null;
    TreeMap<Integer, Map<String, String>> common = new TreeMap<>();
    int count = 0;
    int at = 0;
    long first = block.first(); // The first position that has a record may stand behind it.
    while (at < block.length()) {
      Pack pack = checked(block, data, at);
      Varints in = bodies == null ? body(pack, data, at) : bodies.add(pack, data, at, block);
      common.put(count, pack.head(data, at).headers());
      for (long position = pack.baseOffset(); position < pack.end(); position++) {
        int frame = in.at;
        in.skip(Math.max(0, keyLength(in)));
        long time = pack.firstTime() + in.next();
        long age = in.next();
        in.skipHeaders();
        int length = (int) in.next();
        if (position >= block.first() && position < block.end()) {
          first = count == 0 ? position : first;
          frames[count] = frame;
          starts[count] = in.at;
          ends[count] = in.at + length;
          times[count] = (time - age) * 1000;
          count++;
        }
        in.skip(length);
      }
      at += pack.bytes();
    }
    byte[] all = bodies == null ? data : bodies.bytes;
    BitSet odd = new BitSet();
    for (int i = 0; i < count; i++) {
      if (!Ascii.all(all, starts[i], ends[i])) {
        odd.set(i);
      }
    }
    return Records.numbered(all, starts, ends, count, first, odd)
        .with(times, new Frames(all, frames, common));
  }

  /** Bodies of packs, one behind the other. */
  private static final class Bodies {
    private byte[] bytes;
    private int filled;

    Bodies(int room) {
      bytes = new byte[room];
    }

    Varints add(Pack pack, byte[] data, int at, Block block) {
      Varints body = opened(pack, data, at).orElseThrow(() -> damaged(block));
      int end = body.data == data ? at + pack.bytes() : body.data.length;
      int length = end - body.at;
      if (filled + length > bytes.length) {
        bytes = Arrays.copyOf(bytes, Math.max(bytes.length * 2, filled + length));
      }
      System.arraycopy(body.data, body.at, bytes, filled, length);
      filled += length;
      return new Varints(bytes, filled - length);
    }
  }

  /** What stands before the records' values. */
  private record Frames(byte[] data, int[] places, TreeMap<Integer, Map<String, String>> common)
      implements Records.Envelopes {
    @Override
    public Optional<byte[]> key(int record) {
      Varints in = new Varints(data, places[record]);
      int length = keyLength(in);
      return length < 0 ? Optional.empty() : Optional.of(in.bytes(length));
    }

    @Override
    public Map<String, String> headers(int record) {
      Varints in = new Varints(data, places[record]);
      in.skip(Math.max(0, keyLength(in)));
      in.next();
      in.next();
      return in.headers(common.floorEntry(record).getValue());
    }
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

  /** The records of a pack that is not compressed. */
  private static Varints body(Pack pack, byte[] data, int at) {
    return new Varints(data, at + Pack.HEADER + pack.headLength());
  }

  /** The records of a pack; empty if they cannot be decompressed. */
  private static Optional<Varints> opened(Pack pack, byte[] data, int at) {
    Varints body = body(pack, data, at);
    if (pack.codec() == Codec.NONE) {
      return Optional.of(body);
    }
    int length = ByteBuffer.wrap(data).getInt(body.at);
    return pack.codec()
        .decompress(data, body.at + 4, at + pack.bytes(), length)
        .map(raw -> new Varints(raw, 0));
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

  /** The length of a record's key, which stands behind it; -1 for no key. */
  private static int keyLength(Varints in) {
    return (int) in.next() - 1;
  }

  /** The headers of a pack's only record, of which no more than the beginning need be there. */
  public static Map<String, String> headers(Pack pack, byte[] data) {
    Varints in = body(pack, data, 0);
    in.next(); // It has no key.
    in.next();
    in.next();
    return in.headers(Map.of());
  }

  /** All records of the whole packs in {@code data[0, length)}, from a position on. */
  public static List<QueueRecord> records(int partition, byte[] data, int length, long from) {
    List<QueueRecord> records = new ArrayList<>();
    int at = 0;
    while (at < length) {
      at = records(partition, data, at, length, from, records);
    }
    return records;
  }

  /** Adds the records of the pack at a place, from a position on; where the next pack stands. */
  public static int records(
      int partition, byte[] data, int at, int length, long from, Collection<QueueRecord> records) {
    Pack pack = Pack.read(data, at, length - at).orElseThrow();
    if (!pack.whole(data, at)) {
      throw damaged("partition " + partition, pack.baseOffset());
    }
    PackHead head = pack.head(data, at);
    Varints in = opened(pack, data, at).orElseThrow();
    for (long position = pack.baseOffset(); position < pack.end(); position++) {
      QueueRecord record = record(partition, position, pack.firstTime(), head, in);
      if (position >= from) {
        records.add(record);
      }
    }
    return at + pack.bytes();
  }

  private static QueueRecord record(
      int partition, long position, long firstTime, PackHead head, Varints in) {
    int key = keyLength(in);
    Optional<byte[]> keyBytes = key < 0 ? Optional.empty() : Optional.of(in.bytes(key));
    long time = firstTime + in.next();
    long taken = time - in.next();
    Map<String, String> headers = in.headers(head.headers());
    byte[] value = in.bytes((int) in.next());
    return new QueueRecord(
        partition, position, time, taken, keyBytes, headers, head.sourceHeader(), value);
  }
}
