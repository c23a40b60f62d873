package io.wexrun.queue;

import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Keep;
import java.time.Duration;
import java.time.InstantSource;
import java.util.Optional;

/**
 * How a queue is made and written.
 *
 * @param partitions 1 to 10,000; counts only when the queue is made
 * @param segmentBytes when a new file is begun, at least 4096
 * @param packBytes when a producer writes a pack, at least 1
 * @param linger how long a producer may wait for more records before it writes a pack
 * @param clock the time of records
 * @param sync when what is appended is forced onto the disk
 * @param keep how long records are kept
 * @param codec how packs are compressed
 * @param bounds what a producer may take, and how long it waits
 * @param secrecy how packs are encrypted
 */
public record QueueOptions(
    int partitions,
    long segmentBytes,
    int packBytes,
    Duration linger,
    InstantSource clock,
    SyncPolicy sync,
    Keep keep,
    Codec codec,
    Bounds bounds,
    Secrecy secrecy) {
  /**
   * How packs are encrypted.
   *
   * @param keys for what is read
   * @param key for what is written; empty if it is not encrypted
   */
  public record Secrecy(Keys keys, Optional<EncryptionKey> key) {
    /** Nothing is, and nothing that was can be read. */
    public static final Secrecy NONE = new Secrecy(Keys.NONE, Optional.empty());
  }

  /**
   * What a producer may take, and how long it waits.
   *
   * @param heldBytes how many bytes of records it may hold that are not written yet, at least 1
   * @param patience how long an append waits for room before it fails
   * @param giveUp how long a write that fails is tried again
   * @param longestRecord how many bytes a record may have, key and headers included, 1 byte to 256
   *     MB
   */
  public record Bounds(long heldBytes, Duration patience, Duration giveUp, int longestRecord) {
    /** Rejects what cannot be. */
    public Bounds {
      if (heldBytes < 1 || longestRecord < 1 || longestRecord > 1 << 28) {
        throw new IllegalArgumentException(
            "a producer holds at least a byte, and a record has 1 byte to 256 MB");
      }
    }
  }

  /** Rejects what cannot be. */
  public QueueOptions {
    if (partitions < 1 || partitions > 10_000 || segmentBytes < 4096 || packBytes < 1) {
      throw new IllegalArgumentException(
          "a queue has 1 to 10000 partitions, segments of at least 4096 bytes and packs of at"
              + " least 1");
    }
  }

  /**
   * So many partitions; segments of 128 MB, packs of 256 KB, 20 ms linger; synced with each pack,
   * kept for ever, not compressed; 64 MB held, or a tenth of the heap if that is less; 30 s of
   * patience and of trying again, records of at most 16 MB.
   */
  public static QueueOptions partitions(int partitions) {
    return new QueueOptions(
        partitions,
        128L << 20,
        256 << 10,
        Duration.ofMillis(20),
        InstantSource.system(),
        SyncPolicy.eachPack(),
        Keep.ALL,
        Codec.NONE,
        new Bounds(
            Math.min(64L << 20, Runtime.getRuntime().maxMemory() / 10),
            Duration.ofSeconds(30),
            Duration.ofSeconds(30),
            16 << 20),
        Secrecy.NONE);
  }

  /** These options with files and packs of other sizes. */
  public QueueOptions sizes(long segment, int pack) {
    return new QueueOptions(
        partitions, segment, pack, linger, clock, sync, keep, codec, bounds, secrecy);
  }

  /** These options with another linger time and clock. */
  public QueueOptions times(Duration lingering, InstantSource time) {
    return new QueueOptions(
        partitions, segmentBytes, packBytes, lingering, time, sync, keep, codec, bounds, secrecy);
  }

  /** These options with another sync policy. */
  public QueueOptions sync(SyncPolicy policy) {
    return new QueueOptions(
        partitions, segmentBytes, packBytes, linger, clock, policy, keep, codec, bounds, secrecy);
  }

  /** These options with other limits of what is kept. */
  public QueueOptions keep(Keep limits) {
    return new QueueOptions(
        partitions, segmentBytes, packBytes, linger, clock, sync, limits, codec, bounds, secrecy);
  }

  /** These options with packs compressed. */
  public QueueOptions codec(Codec compression) {
    return new QueueOptions(
        partitions,
        segmentBytes,
        packBytes,
        linger,
        clock,
        sync,
        keep,
        compression,
        bounds,
        secrecy);
  }

  /**
   * These options with other bounds of a producer.
   *
   * @param held bytes
   * @param waiting how long an append waits for room
   * @param trying how long a write that fails is tried again
   */
  public QueueOptions bounds(long held, Duration waiting, Duration trying) {
    return new QueueOptions(
        partitions,
        segmentBytes,
        packBytes,
        linger,
        clock,
        sync,
        keep,
        codec,
        new Bounds(held, waiting, trying, bounds.longestRecord),
        secrecy);
  }

  /** These options with packs encrypted, or only read that are. */
  public QueueOptions secrecy(Secrecy how) {
    return new QueueOptions(
        partitions, segmentBytes, packBytes, linger, clock, sync, keep, codec, bounds, how);
  }

  /** These options with another limit of a record's bytes. */
  public QueueOptions longestRecord(int bytes) {
    return new QueueOptions(
        partitions,
        segmentBytes,
        packBytes,
        linger,
        clock,
        sync,
        keep,
        codec,
        new Bounds(bounds.heldBytes, bounds.patience, bounds.giveUp, bytes),
        secrecy);
  }
}
