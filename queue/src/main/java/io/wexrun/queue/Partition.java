package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * One partition: segments in a folder, appended to at the end. Readers see only what is synced (in
 * the process that writes) or whole (in others).
 */
final class Partition implements AutoCloseable {
  /** Whole packs as they stand on disk; {@code end} is the position after the last record. */
  record Chunk(byte[] data, int length, long end) {}

  /** What stands at the end of the last segment. */
  private enum Tail {
    CLEAN,
    TORN
  }

  private final Disk disk;
  private final Path folder;
  private final String label;
  private final int number;
  private final boolean writable;
  private final long segmentBytes;
  private final InstantSource clock;
  private final List<Segment> segments = new ArrayList<>();
  private final Map<String, Long> sequences = new HashMap<>();
  private long next;
  private long durable;
  private long published;
  private boolean dirty;
  private boolean broken;

  Partition(
      Disk disk,
      Path folder,
      String label,
      int number,
      boolean writable,
      long segmentBytes,
      InstantSource clock)
      throws IOException {
    this.disk = disk;
    this.folder = folder;
    this.label = label;
    this.number = number;
    this.writable = writable;
    this.segmentBytes = segmentBytes;
    this.clock = clock;
    recover();
  }

  /** Reads what is there; cuts a torn tail if this process may write. */
  private void recover() throws IOException {
    if (writable) {
      disk.makeFolder(folder);
    }
    openSegments();
    if (writable && !segments.isEmpty()) {
      Segment last = segments.get(segments.size() - 1);
      if (last.file.size() > last.endPlace()) {
        last.file.truncate(last.endPlace());
      }
      last.file.sync();
    }
    durable = next;
    published = next;
  }

  private void openSegments() throws IOException {
    List<Long> bases = new ArrayList<>();
    for (String name : disk.list(folder)) {
      if (name.endsWith(".packs")) {
        bases.add(Long.parseLong(name.substring(0, name.length() - 6)));
      }
    }
    for (int i = 0; i < bases.size(); i++) {
      long base = bases.get(i);
      boolean last = i == bases.size() - 1;
      if (segments.stream().anyMatch(s -> s.base == base)) {
        continue;
      }
      Path path = folder.resolve(Segment.name(base));
      DiskFile file = disk.open(path, writable);
      if (!headerIsWhole(file, base)) {
        // A segment is made only after the one before it is synced: this one holds nothing yet.
        if (!last) {
          throw damaged("the header of " + path.getFileName() + " is wrong");
        }
        file.close();
        if (writable) {
          disk.delete(path);
        }
        return;
      }
      Segment segment = new Segment(base, file);
      if (segments.isEmpty()) {
        next = base;
      } else if (base != next) {
        throw damaged("positions " + next + " to " + base + " are missing");
      }
      segments.add(segment);
      if (scan(segment, last) == Tail.TORN && !last) {
        throw damaged(path.getFileName() + " ends early, at position " + next);
      }
    }
  }

  private boolean headerIsWhole(DiskFile file, long base) throws IOException {
    ByteBuffer header = ByteBuffer.allocate(Segment.HEADER);
    if (file.read(0, header) < Segment.HEADER) {
      return false;
    }
    int version = Segment.version(header.array(), number, base);
    if (version >= 0 && !Segment.readable(version)) {
      throw new OutsideException(
          label + " has segment version " + version + ": use a newer Wexrun");
    }
    return version >= 0;
  }

  /** Notes the packs behind those known; with checksums in the segment that may be torn. */
  private Tail scan(Segment segment, boolean verify) throws IOException {
    byte[] header = new byte[Pack.HEADER];
    while (true) {
      long place = segment.endPlace();
      long available = segment.file.size() - place;
      if (available <= 0) {
        return Tail.CLEAN;
      }
      if (segment.file.read(place, ByteBuffer.wrap(header)) < Pack.HEADER) {
        return tornAt(segment, place, available);
      }
      Optional<Pack> pack = Pack.read(header, 0, available);
      if (pack.isEmpty() || pack.get().baseOffset() != next) {
        return tornAt(segment, place, available);
      }
      byte[] data =
          new byte[verify ? pack.get().bytes() : Pack.HEADER + pack.get().producerLength()];
      segment.file.read(place, ByteBuffer.wrap(data));
      if (verify && !pack.get().whole(data, 0)) {
        return tornAt(segment, place, available);
      }
      accept(segment, pack.get(), pack.get().producer(data, 0));
    }
  }

  private void accept(Segment segment, Pack pack, String producer) {
    segment.note(pack);
    next = pack.end();
    if (!producer.isEmpty()) {
      sequences.merge(producer, pack.sequence(), Math::max);
    }
  }

  /**
   * A pack that is not whole may be cut if it was never acknowledged. Every pack says up to where
   * the partition was durable when it was written; if a whole one behind the tear says that this
   * place was, then acknowledged records are damaged, and nothing may be cut.
   */
  private Tail tornAt(Segment segment, long place, long available) throws IOException {
    byte[] rest = new byte[(int) Math.min(available, Integer.MAX_VALUE - 8)];
    int length = segment.file.read(place, ByteBuffer.wrap(rest));
    for (int at = 1; at <= length - Pack.HEADER; at++) {
      if (rest[at] == 'W' && ByteBuffer.wrap(rest).getInt(at) == Pack.MAGIC) {
        Optional<Pack> pack = Pack.read(rest, at, length - at);
        if (pack.isPresent() && pack.get().whole(rest, at) && pack.get().durable() > next) {
          throw damaged(
              "the pack at position "
                  + next
                  + " is not whole, but records behind it were"
                  + " acknowledged; nothing was cut");
        }
      }
    }
    return Tail.TORN;
  }

  private OutsideException damaged(String what) {
    return new OutsideException(
        label + " is damaged: " + what + ". Restore the folder " + folder + " from a copy");
  }

  /** Looks for what another process has appended; for partitions that are only read. */
  synchronized void refresh() {
    try {
      if (!segments.isEmpty()) {
        scan(segments.get(segments.size() - 1), true);
      }
      openSegments();
      published = next;
    } catch (IOException e) {
      throw failed("read", e);
    }
  }

  /**
   * Appends the records of a builder. They are readable and durable after the next {@link #sync()}.
   *
   * @return false if the producer has appended this sequence or a later one before; then nothing is
   *     appended
   */
  synchronized boolean append(PackBuilder builder, long sequence) {
    if (!builder.producer().isEmpty() && sequence <= sequence(builder.producer())) {
      return false;
    }
    if (broken) {
      throw new OutsideException(label + " failed before and must be opened again");
    }
    try {
      Segment segment = segmentFor(builder.bytes());
      Pack pack = builder.finish(next, sequence, durable);
      long place = segment.endPlace();
      try {
        segment.file.write(place, ByteBuffer.wrap(builder.data(), 0, builder.bytes()));
      } catch (IOException e) {
        cut(segment, place);
        throw e;
      }
      accept(segment, pack, builder.producer());
      dirty = true;
      return true;
    } catch (IOException e) {
      throw failed("append to", e);
    }
  }

  /** After a write that failed half-way: the file ends where it ended before. */
  private void cut(Segment segment, long place) {
    try {
      segment.file.truncate(place);
    } catch (IOException e) {
      broken = true;
    }
  }

  private Segment segmentFor(int bytes) throws IOException {
    if (!segments.isEmpty()) {
      Segment last = segments.get(segments.size() - 1);
      if (last.packs() == 0 || last.endPlace() + bytes <= segmentBytes) {
        return last;
      }
      last.file.sync();
      durable = next;
    }
    Path path = folder.resolve(Segment.name(next));
    DiskFile file = disk.create(path);
    try {
      file.write(0, Segment.header(number, next, clock.millis()));
    } catch (IOException e) {
      file.close();
      disk.delete(path);
      throw e;
    }
    Segment segment = new Segment(next, file);
    segments.add(segment);
    return segment;
  }

  /** Makes everything appended durable, and then readable. */
  synchronized void sync() {
    if (!dirty) {
      return;
    }
    try {
      segments.get(segments.size() - 1).file.sync();
    } catch (IOException e) {
      // What the system holds after a failed sync is unknown: only a fresh look at the file tells.
      broken = true;
      throw failed("sync", e);
    }
    dirty = false;
    durable = next;
    published = next;
  }

  /** The last sequence of a producer; {@link Long#MIN_VALUE} if it never appended. */
  synchronized long sequence(String producer) {
    return sequences.getOrDefault(producer, Long.MIN_VALUE);
  }

  /** The last sequences of the producers whose names start with a prefix. */
  synchronized Map<String, Long> sequences(String prefix) {
    Map<String, Long> found = new HashMap<>();
    sequences.forEach(
        (producer, sequence) -> {
          if (producer.startsWith(prefix)) {
            found.put(producer, sequence);
          }
        });
    return found;
  }

  /**
   * Whole packs from the one that holds a position on: at least one, and no more than about {@code
   * most} bytes.
   *
   * @return empty if the position is the end
   */
  synchronized Optional<Chunk> read(long position, int most) {
    if (position >= published) {
      return Optional.empty();
    }
    Segment segment = segments.get(0);
    for (Segment candidate : segments) {
      if (candidate.base <= position) {
        segment = candidate;
      }
    }
    int first = segment.packOf(position);
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
    return Optional.of(new Chunk(data, length, endOf(segment, after)));
  }

  private long endOf(Segment segment, int after) {
    if (after < segment.packs()) {
      return segment.position(after);
    }
    int follower = segments.indexOf(segment) + 1;
    return follower < segments.size() ? segments.get(follower).base : next;
  }

  /** The position of the oldest record that is still there. */
  synchronized long oldest() {
    return segments.isEmpty() ? 0 : segments.get(0).base;
  }

  /** The position after the newest record that can be read. */
  synchronized long end() {
    return published;
  }

  synchronized PartitionInfo info() {
    long packs = segments.stream().mapToLong(Segment::packs).sum();
    long bytes = segments.stream().mapToLong(Segment::endPlace).sum();
    return new PartitionInfo(number, oldest(), published, packs, bytes, segments.size());
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
      for (Segment segment : segments) {
        segment.file.close();
      }
    } catch (IOException e) {
      throw failed("close", e);
    }
  }
}
