package io.wexrun.queue;

/** Which partition a record goes to. Fixed for ever: records with one key must stay together. */
public final class Placement {
  private Placement() {}

  /** By key: FNV-1a over the bytes (draft-eastlake-fnv), mixed, modulo the partitions. */
  public static int byKey(byte[] data, int from, int to, int partitions) {
    long hash = 0xcbf29ce484222325L;
    for (int i = from; i < to; i++) {
      hash = (hash ^ (data[i] & 0xFF)) * 0x100000001b3L;
    }
    return place(hash, partitions);
  }

  /** By a number that identifies the record, so that the same record always goes the same way. */
  public static int byNumber(long number, int partitions) {
    return place(number * 0x9E3779B97F4A7C15L, partitions);
  }

  /** The finalizer of MurmurHash3 (64 bit, public domain) spreads every input bit. */
  private static int place(long hash, int partitions) {
    long h = hash;
    h = (h ^ (h >>> 33)) * 0xff51afd7ed558ccdL;
    h = (h ^ (h >>> 33)) * 0xc4ceb9fe1a85ec53L;
    h ^= h >>> 33;
    return (int) Long.remainderUnsigned(h, partitions);
  }
}
