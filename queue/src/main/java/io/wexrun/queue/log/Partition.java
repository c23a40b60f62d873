package io.wexrun.queue.log;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.queue.disk.Disk;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.function.Predicate;

/**
 * One partition: segments in a folder, appended to at the end. Readers see only what is
 * acknowledged by the sync policy (in the process that writes) or whole (in others).
 */
public final class Partition implements AutoCloseable {
  /** Enough of a pack for its header and the name of its producer, which may be a path. */
  private static final int PRODUCER_BYTES = 8192;

  /** Whole packs as they stand on disk; {@code end} is the position after the last record. */
  public record Chunk(byte[] data, int length, long end) {}

  /**
   * What became of a pack.
   *
   * @param base the position of its first record; -1 if it is a repetition of which that is not
   *     known any more
   * @param repeated whether the producer had appended it, or a later one, before
   */
  public record Outcome(long base, boolean repeated) {}

  private final Disk disk;
  private final Path folder;
  private final String label;
  private final int number;
  private final UUID queue;
  private final boolean writable;
  private final long segmentBytes;
  private final InstantSource clock;
  private final PackCipher cipher;
  private Log log;
  private long durable;
  private long published;
  private boolean dirty;
  private boolean broken;
  private long removedRecords;
  private long removedBytes;

  public Partition(
      Disk disk,
      Path folder,
      String label,
      int number,
      UUID queue,
      boolean writable,
      long segmentBytes,
      InstantSource clock,
      long synced,
      Keys keys,
      Optional<EncryptionKey> key)
      throws IOException {
    this.disk = disk;
    this.folder = folder;
    this.label = label;
    this.number = number;
    this.queue = queue;
    this.writable = writable;
    this.segmentBytes = segmentBytes;
    this.clock = clock;
    this.cipher = new PackCipher(keys, key);
    this.log = new Log(disk, folder, label, number, queue, writable);
    log.recover(synced);
    log.producers().keySet().removeIf(name -> name.startsWith(PackHead.PASSING));
    durable = log.next();
    published = log.next();
  }

  /** Looks for what another process has appended; for partitions that are only read. */
  public synchronized void refresh() {
    try {
      log.refresh();
      published = log.next();
    } catch (IOException e) {
      throw failed("read", e);
    }
  }

  /**
   * Appends the records of a builder that was sealed. They are readable after the next {@link
   * #publish()}, and durable after the next {@link #sync()}.
   *
   * @throws OutsideException if the disk fails; then nothing was appended, or it is found on the
   *     next try
   */
  public synchronized Outcome append(PackBuilder builder, long sequence) {
    try {
      if (broken) {
        mend();
      }
      SegmentHeader.Last last = log.producers().get(builder.producer());
      if (last != null && sequence <= last.sequence()) {
        return new Outcome(sequence == last.sequence() ? last.base() : -1, true);
      }
      Segment segment = segmentFor(builder.bytes());
      Pack plain = builder.finish(log.next(), sequence, durable);
      PackCipher.Bytes written = cipher.written(plain, builder.data());
      Pack pack = written.pack();
      long place = segment.endPlace();
      try {
        segment.file.write(place, ByteBuffer.wrap(written.data(), 0, written.length()));
      } catch (IOException e) {
        cut(segment, place);
        throw e;
      }
      log.accept(segment, pack, builder.producer());
      dirty = true;
      return new Outcome(pack.baseOffset(), false);
    } catch (IOException e) {
      throw failed("append to", e);
    }
  }

  /**
   * Like {@link #append}, but only behind a sequence of the producer.
   *
   * @param expected the producer's last sequence; {@link Long#MIN_VALUE} if it never appended
   * @throws OutsideException that is lasting if the producer's last sequence is another; then
   *     nothing was appended
   */
  public synchronized Outcome appendAfter(long expected, PackBuilder builder, long sequence) {
    if (sequence(builder.producer()) != expected) {
      throw OutsideException.lasting(
          label
              + ": another run has appended for '"
              + builder.producer()
              + "' since this one began. Stop one of them");
    }
    return append(builder, sequence);
  }

  /** After a write that failed half-way: the file ends where it ended before. */
  private void cut(Segment segment, long place) {
    try {
      segment.file.truncate(place);
    } catch (IOException e) {
      broken = true;
    }
  }

  /**
   * After a failure that left unknown what is on the disk: a fresh look at the files tells. If that
   * fails too, readers go on with what they had.
   */
  private void mend() throws IOException {
    Log fresh = new Log(disk, folder, label, number, queue, writable);
    try {
      fresh.recover(durable);
    } catch (IOException | RuntimeException e) {
      fresh.close();
      throw e;
    }
    log.close();
    log = fresh;
    durable = log.next();
    published = log.next();
    broken = false;
    dirty = false;
  }

  private Segment segmentFor(int bytes) throws IOException {
    if (!log.segments().isEmpty()) {
      Segment last = log.last();
      boolean fits = last.packs() == 0 || last.endPlace() + bytes <= segmentBytes;
      if (fits && !last.isSealed()) {
        return last;
      }
    }
    boolean behind = !log.segments().isEmpty();
    Segment segment = log.begin(clock.millis());
    if (behind) {
      durable = log.next(); // The segment before was synced with its index.
    }
    return segment;
  }

  /**
   * Appends nothing at positions that somebody has passed already, though no record of them is
   * there: they count as lost, and the next record stands behind them.
   *
   * @return how many positions were passed over; 0 if the end is there or behind
   * @throws OutsideException if the disk fails
   */
  public synchronized long passTo(long position) {
    long missing = position - log.next();
    if (missing <= 0) {
      return 0;
    }
    try {
      if (broken) {
        mend();
      }
      log.begin(position, clock.millis());
    } catch (IOException e) {
      throw failed("append to", e);
    }
    dirty = false; // The segment before was synced with its index.
    durable = log.next();
    published = log.next();
    return missing;
  }

  /** Whether no record of a position is there any more, or yet, of some before a position. */
  public synchronized boolean lacksBefore(long position) {
    return position > published
        || log.segments().stream().anyMatch(s -> s.lost > 0 && s.base - s.lost < position);
  }

  /** Makes everything appended readable. */
  public synchronized void publish() {
    published = log.next();
  }

  /** Makes everything appended durable, and then readable. */
  public synchronized void sync() {
    if (dirty) {
      try {
        log.last().file.sync();
      } catch (IOException e) {
        // What the system holds after a failed sync is unknown: only a fresh look tells.
        broken = true;
        throw failed("sync", e);
      }
      dirty = false;
      durable = log.next();
    }
    published = log.next();
  }

  /** The position up to which everything is synced. */
  public synchronized long durable() {
    return durable;
  }

  /** The last sequence of a producer; {@link Long#MIN_VALUE} if it never appended. */
  public synchronized long sequence(String producer) {
    SegmentHeader.Last last = log.producers().get(producer);
    return last == null ? Long.MIN_VALUE : last.sequence();
  }

  /** Forgets a producer whose name is a passing one. */
  public synchronized void forget(String producer) {
    log.producers().remove(producer);
  }

  /** The last sequences of the producers whose names start with a prefix. */
  public synchronized Map<String, Long> sequences(String prefix) {
    if (!writable) {
      try {
        log.readLastProducers(); // Who only reads had no need of them so far.
      } catch (IOException e) {
        throw failed("read", e);
      }
    }
    Map<String, Long> found = new HashMap<>();
    log.producers()
        .forEach(
            (producer, last) -> {
              if (producer.startsWith(prefix)) {
                found.put(producer, last.sequence());
              }
            });
    return found;
  }

  /**
   * Whole packs from the one that holds a position on: at least one, and no more than about {@code
   * most} bytes. None if the positions up to the end of the chunk are lost.
   *
   * @return empty if the position is the end
   * @throws BehindOldestException if the record is not kept any more
   */
  public synchronized Optional<Chunk> read(long position, int most) {
    if (position >= published) {
      return Optional.empty();
    }
    if (position < oldest()) {
      throw new BehindOldestException(label, number, position, oldest());
    }
    Segment segment = log.segmentAt(position);
    if (segment.packs() == 0) {
      return Optional.of(new Chunk(new byte[0], 0, segment.base));
    }
    int first = segment.packOf(Math.max(position, segment.base));
    int after = first + 1;
    while (after < segment.packs()
        && segment.position(after) < published
        && segment.place(after + 1) - segment.place(first) <= most) {
      after++;
    }
    int length = (int) (segment.place(after) - segment.place(first));
    byte[] data = new byte[length];
    try {
      segment.file.read(segment.place(first), ByteBuffer.wrap(data));
    } catch (IOException e) {
      throw failed("read", e);
    }
    PackCipher.Bytes plain = cipher.read(data, length, label);
    return Optional.of(new Chunk(plain.data(), plain.length(), log.endOf(segment, after)));
  }

  /** The beginning of a pack: its header, and some of what is behind. */
  public record Peek(Pack pack, byte[] data) {}

  /** The first {@code most} bytes of the pack at a position or behind it; empty at the end. */
  public synchronized Optional<Peek> peek(long position, int most) {
    if (position >= published) {
      return Optional.empty();
    }
    Segment segment = log.segmentAt(position);
    if (segment.packs() == 0) {
      return Optional.empty();
    }
    int pack = segment.packOf(Math.max(position, segment.base));
    int whole = (int) (segment.place(pack + 1) - segment.place(pack));
    byte[] data = beginning(segment, pack, Math.min(most, whole));
    Optional<Pack> found = Pack.read(data, 0, Long.MAX_VALUE);
    if (found.isPresent() && found.get().encrypted()) {
      PackCipher.Bytes plain = cipher.read(beginning(segment, pack, whole), whole, label);
      return Pack.read(plain.data(), 0, plain.length()).map(p -> new Peek(p, plain.data()));
    }
    return found.map(p -> new Peek(p, data));
  }

  private byte[] beginning(Segment segment, int pack, int bytes) {
    byte[] data = new byte[bytes];
    try {
      segment.file.read(segment.place(pack), ByteBuffer.wrap(data));
    } catch (IOException e) {
      throw failed("read", e);
    }
    return data;
  }

  /** The position of the first record of a pack that has one of a time or later; or the end. */
  public synchronized long positionOfPackAt(long timeMillis) {
    for (Segment segment : log.segments()) {
      for (int pack = 0; pack < segment.packs(); pack++) {
        if (segment.lastTime(pack) >= timeMillis) {
          return Math.min(segment.position(pack), published);
        }
      }
    }
    return published;
  }

  /** How many records there are of some producers. */
  public synchronized long recordsOf(Predicate<String> producers) {
    long records = 0;
    long position = oldest();
    Optional<Peek> peek = peek(position, PRODUCER_BYTES);
    while (peek.isPresent()) {
      Pack pack = peek.get().pack();
      if (producers.test(pack.producer(peek.get().data(), 0))) {
        records += pack.count();
      }
      peek = peek(pack.end(), PRODUCER_BYTES);
    }
    return records;
  }

  /** How many records there are from a position on. */
  public synchronized long records(long position) {
    long from = Math.max(position, oldest());
    long lost = 0;
    for (Segment segment : log.segments()) {
      lost += Math.max(0, Math.min(segment.lost, segment.base - from));
    }
    return Math.max(0, published - from - lost);
  }

  /** Whether there is a file that nothing is appended to any more. */
  public synchronized boolean hasFinishedFile() {
    return log.segments().size() > 1;
  }

  /**
   * Removes whole segments, the oldest first, never the last one.
   *
   * @param keep what is kept
   * @param needed records from this position on stay in any case; {@link Long#MAX_VALUE} for none
   * @return how many records were removed
   */
  public synchronized long trim(Keep keep, long needed) {
    long before = oldest();
    long oldestTime = keep.age().map(age -> clock.millis() - age.toMillis()).orElse(Long.MIN_VALUE);
    try {
      while (log.segments().size() > 1) {
        Segment first = log.segments().get(0);
        long end = log.segments().get(1).base;
        boolean old = first.newest() < oldestTime;
        boolean large = keep.bytes().isPresent() && bytes() > keep.bytes().get();
        boolean read = keep.untilRead() && needed != Long.MAX_VALUE && end <= needed;
        if (end > Math.min(needed, published) || !(old || large || read)) {
          break;
        }
        removedBytes += log.removeOldest();
      }
    } catch (IOException e) {
      throw failed("trim", e);
    }
    removedRecords += oldest() - before;
    return oldest() - before;
  }

  /** Removes whole segments whose records all stand before a position. */
  public synchronized long removeBefore(long position) {
    long before = oldest();
    try {
      while (log.segments().size() > 1 && log.segments().get(1).base <= position) {
        removedBytes += log.removeOldest();
      }
    } catch (IOException e) {
      throw failed("trim", e);
    }
    removedRecords += oldest() - before;
    return oldest() - before;
  }

  /** How many bytes the files have. */
  public synchronized long bytes() {
    return log.segments().stream().mapToLong(Segment::endPlace).sum();
  }

  /** The position of the oldest record that was not removed; it may be lost. */
  public synchronized long oldest() {
    return log.segments().isEmpty() ? 0 : log.segments().get(0).base - log.segments().get(0).lost;
  }

  /** The position after the newest record that can be read. */
  public synchronized long end() {
    return published;
  }

  public synchronized PartitionInfo info() {
    List<Segment> segments = log.segments();
    long packs = segments.stream().mapToLong(Segment::packs).sum();
    long newest = segments.stream().mapToLong(Segment::newest).max().orElse(Long.MIN_VALUE);
    boolean any = packs > 0;
    Segment first = segments.stream().filter(s -> s.packs() > 0).findFirst().orElse(null);
    return new PartitionInfo(
        number,
        oldest(),
        published,
        segments.stream().mapToLong(segment -> segment.lost).sum(),
        packs,
        bytes(),
        segments.size(),
        any ? Optional.of(first.firstTime(0)) : Optional.empty(),
        any ? Optional.of(newest) : Optional.empty(),
        removedRecords,
        removedBytes);
  }

  private OutsideException failed(String what, IOException cause) {
    String reason = cause.getMessage() == null ? cause.toString() : cause.getMessage();
    return new OutsideException(
        "cannot "
            + what
            + " "
            + label
            + " in "
            + folder
            + ": "
            + reason
            + ". What was acknowledged is safe; make room or mend the disk, then run again",
        cause);
  }

  @Override
  public synchronized void close() {
    try {
      if (writable && !broken) {
        log.finish();
      }
      log.close();
    } catch (IOException e) {
      throw failed("close", e);
    }
  }
}
