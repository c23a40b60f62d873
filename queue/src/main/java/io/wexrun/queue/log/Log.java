package io.wexrun.queue.log;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;

/** The files of a partition: finds out what is there, whole or torn. Guarded by its partition. */
public final class Log {
  /** A shorter segment is read through faster than it is worth a file more. */
  static final int FINISHED_BYTES = 4 << 20;

  /** What stands at the end of a segment. */
  private enum Tail {
    CLEAN,
    TORN
  }

  private final Disk disk;
  private final Path folder;
  private final String label;
  private final int number;
  private final UUID queue;
  private final boolean writable;
  private final List<Segment> segments = new ArrayList<>();
  private final Map<String, SegmentHeader.Last> producers = new HashMap<>();
  private long next;

  /**
   * The last file, if its header is not whole. A header is synced before the first pack is written
   * behind it; so if the file was not damaged, it holds nothing yet.
   */
  private Optional<Path> headless = Optional.empty();

  Log(Disk disk, Path folder, String label, int number, UUID queue, boolean writable) {
    this.disk = disk;
    this.folder = folder;
    this.label = label;
    this.number = number;
    this.queue = queue;
    this.writable = writable;
  }

  List<Segment> segments() {
    return segments;
  }

  Segment last() {
    return segments.get(segments.size() - 1);
  }

  Map<String, SegmentHeader.Last> producers() {
    return producers;
  }

  /** The position after the last record. */
  long next() {
    return next;
  }

  /**
   * Reads what is there; cuts a torn tail if this process may write.
   *
   * @param synced records before this position are known to have been synced
   */
  void recover(long synced) throws IOException {
    if (writable) {
      disk.makeFolder(folder);
    }
    openSegments();
    if (headless.isPresent() && hasPack(headless.get())) {
      throw damaged(
          "the header of " + headless.get().getFileName() + " is not whole; nothing was cut");
    }
    if (next < synced) {
      throw damaged(
          "records up to position "
              + synced
              + " were acknowledged, but the last whole one is before "
              + next
              + "; nothing was cut");
    }
    if (writable && headless.isPresent()) {
      disk.delete(headless.get());
    }
    if (writable && !segments.isEmpty() && !last().isSealed()) {
      Segment last = last();
      if (last.file.size() > last.endPlace()) {
        last.file.truncate(last.endPlace());
      }
      last.file.sync();
    }
  }

  /** Finds what another process has done since: packs and files more, or old files gone. */
  void refresh() throws IOException {
    if (!segments.isEmpty()) {
      scan(last(), true);
    }
    openSegments();
  }

  private List<Long> bases() throws IOException {
    List<Long> bases = new ArrayList<>();
    for (String name : disk.list(folder)) {
      if (name.endsWith(".packs")) {
        bases.add(Long.parseLong(name.substring(0, name.length() - 6)));
      }
    }
    return bases;
  }

  private boolean hasPack(Path path) throws IOException {
    try (DiskFile file = disk.open(path, false)) {
      return acknowledgedBehind(file, 0, -1);
    }
  }

  private void openSegments() throws IOException {
    headless = Optional.empty();
    List<Long> bases = bases();
    while (segments.size() > 1 && !bases.contains(segments.get(0).base)) {
      segments.remove(0).file.close();
    }
    for (int i = 0; i < bases.size(); i++) {
      long base = bases.get(i);
      boolean last = i == bases.size() - 1;
      if (!segments.isEmpty() && base <= last().base) {
        continue;
      }
      Path path = folder.resolve(Segment.name(base));
      DiskFile file;
      try {
        file = disk.open(path, writable);
      } catch (NoSuchFileException e) {
        if (writable) {
          throw e;
        }
        // The process that writes has removed it meanwhile, and so everything before it.
        close();
        continue;
      }
      Optional<SegmentHeader> header = header(file, base);
      if (header.isEmpty()) {
        if (!last) {
          throw damaged("the header of " + path.getFileName() + " is wrong");
        }
        file.close();
        headless = Optional.of(path);
        return;
      }
      Segment segment = new Segment(base, file, header.get().bytes(), header.get().lost());
      if (segments.isEmpty()) {
        next = base;
      } else if (base != next) {
        scan(last(), true); // What was appended between the last look and the new file.
      }
      if (base - next == header.get().lost()) {
        next = base;
      }
      if (base != next) {
        throw damaged("positions " + next + " to " + base + " are missing");
      }
      segments.add(segment);
      producers.putAll(header.get().producers());
      if (indexed(segment)) {
        if (last && writable) {
          readProducers(segment);
        }
        continue;
      }
      if (scan(segment, last) == Tail.TORN && !last) {
        throw damaged(path.getFileName() + " ends early, at position " + next);
      }
    }
  }

  /** Who appended what last, also in a last segment of which only the index was read. */
  void readLastProducers() throws IOException {
    if (!segments.isEmpty()) {
      readProducers(last());
    }
  }

  /** Reads from the headers of a segment's packs who appended what last. */
  private void readProducers(Segment segment) throws IOException {
    ByteBuffer header = ByteBuffer.allocate(Pack.HEADER);
    for (int i = 0; i < segment.packs(); i++) {
      segment.file.read(segment.place(i), header.clear());
      Optional<Pack> pack = Pack.read(header.array(), 0, Long.MAX_VALUE);
      if (pack.isEmpty()) {
        throw damaged("the pack at position " + segment.position(i) + " is none; nothing was cut");
      }
      byte[] data = new byte[Pack.HEADER + pack.get().headLength()];
      segment.file.read(segment.place(i), ByteBuffer.wrap(data));
      known(pack.get(), pack.get().producer(data, 0));
    }
  }

  /** Whether an index tells what is in a segment. */
  private boolean indexed(Segment segment) throws IOException {
    boolean found = SegmentIndex.read(segment.file, segment);
    next = found ? segment.next() : next;
    return found;
  }

  private Optional<SegmentHeader> header(DiskFile file, long base) throws IOException {
    Optional<SegmentHeader> header = SegmentHeader.read(file, number, base);
    if (header.isPresent() && !header.get().readable()) {
      throw new OutsideException(
          label + " has segment version " + header.get().version() + ": use a newer Wexrun");
    }
    return header;
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
      int read = segment.file.read(place, ByteBuffer.wrap(header));
      if (read >= 4 && ByteBuffer.wrap(header).getInt(0) == SegmentIndex.MAGIC) {
        return Tail.CLEAN;
      }
      if (read < Pack.HEADER) {
        return tornAt(segment, place);
      }
      Optional<Pack> pack = Pack.read(header, 0, available);
      if (pack.isEmpty() || pack.get().baseOffset() != next) {
        return tornAt(segment, place);
      }
      byte[] data = new byte[verify ? pack.get().bytes() : Pack.HEADER + pack.get().headLength()];
      segment.file.read(place, ByteBuffer.wrap(data));
      if (verify && !pack.get().whole(data, 0)) {
        return tornAt(segment, place);
      }
      pack.get().requireReadable();
      accept(segment, pack.get(), pack.get().producer(data, 0));
    }
  }

  /** Notes a pack at the end of the last segment. */
  void accept(Segment segment, Pack pack, String producer) {
    segment.note(pack);
    next = pack.end();
    known(pack, producer);
  }

  private void known(Pack pack, String producer) {
    if (!producer.isEmpty()) {
      SegmentHeader.Last last = new SegmentHeader.Last(pack.sequence(), pack.baseOffset());
      producers.merge(producer, last, (a, b) -> a.sequence() > b.sequence() ? a : b);
    }
  }

  /**
   * A pack that is not whole may be cut if it was never acknowledged. Every pack says up to where
   * the partition was durable when it was written; if a whole one behind the tear says that this
   * place was, then acknowledged records are damaged, and nothing may be cut.
   */
  private Tail tornAt(Segment segment, long place) throws IOException {
    if (acknowledgedBehind(segment.file, place, next)) {
      throw damaged(
          "the pack at position "
              + next
              + " is not whole, but records behind it were"
              + " acknowledged; nothing was cut");
    }
    return Tail.TORN;
  }

  /** Whether a whole pack behind a place says that a position was synced before it was written. */
  static boolean acknowledgedBehind(DiskFile file, long place, long position) throws IOException {
    byte[] rest = new byte[(int) Math.min(file.size() - place, Integer.MAX_VALUE - 8)];
    int length = file.read(place, ByteBuffer.wrap(rest));
    for (int at = 1; at <= length - Pack.HEADER; at++) {
      if (rest[at] == 'W' && ByteBuffer.wrap(rest).getInt(at) == Pack.MAGIC) {
        Optional<Pack> pack = Pack.read(rest, at, length - at);
        if (pack.isPresent() && pack.get().whole(rest, at) && pack.get().durable() > position) {
          return true;
        }
      }
    }
    return false;
  }

  private OutsideException damaged(String what) {
    return new OutsideException(
        label
            + " is damaged: "
            + what
            + ". 'wexrun queue verify' says more; restore the folder "
            + folder
            + " from a copy, or keep what is whole with 'wexrun queue repair'");
  }

  /** Begins a new segment behind the last one, which gets its index. Both are synced. */
  Segment begin(long nowMillis) throws IOException {
    return begin(next, nowMillis);
  }

  /**
   * The same at a position at or behind the end: those in between are lost, and no record gets
   * them.
   */
  Segment begin(long base, long nowMillis) throws IOException {
    if (!segments.isEmpty() && !last().isSealed()) {
      seal();
    }
    Map<String, SegmentHeader.Last> lasting = new HashMap<>(producers);
    lasting.keySet().removeIf(name -> name.startsWith(PackHead.PASSING));
    ByteBuffer header = SegmentHeader.of(queue, number, base, base - next, nowMillis, lasting);
    Path path = folder.resolve(Segment.name(base));
    DiskFile file = disk.create(path);
    int bytes = header.remaining();
    try {
      file.write(0, header);
      file.sync();
    } catch (IOException e) {
      file.close();
      disk.delete(path);
      throw e;
    }
    Segment segment = new Segment(base, file, bytes, base - next);
    next = base;
    segments.add(segment);
    return segment;
  }

  /** The segment with the record at a position before the end, or the next one if that is lost. */
  Segment segmentAt(long position) {
    int low = 0;
    int high = segments.size() - 1;
    while (low < high) {
      int middle = (low + high + 1) >>> 1;
      if (segments.get(middle).base <= position) {
        low = middle;
      } else {
        high = middle - 1;
      }
    }
    boolean behind = position >= segments.get(low).next();
    return segments.get(behind ? low + 1 : low);
  }

  /**
   * The position behind the packs of a segment before a number of one; behind a gap if it is the
   * last.
   */
  long endOf(Segment segment, int after) {
    if (after < segment.packs()) {
      return segment.position(after);
    }
    int follower = segments.indexOf(segment) + 1;
    return follower < segments.size() ? segments.get(follower).base : next;
  }

  /** Gives the last segment its index: nothing is appended to it any more. */
  private void seal() throws IOException {
    Segment last = last();
    long end = last.endPlace();
    try {
      last.file.write(end, SegmentIndex.of(last));
    } catch (IOException e) {
      last.file.truncate(end);
      throw e;
    }
    last.file.sync();
    last.sealed(end, next);
  }

  /** A clean end: a last segment of some size gets its index, so that it opens quickly. */
  void finish() throws IOException {
    if (!segments.isEmpty() && !last().isSealed() && last().endPlace() >= FINISHED_BYTES) {
      try {
        seal();
      } catch (IOException e) {
        // Without the index, as on a full disk, the file is read through when it is opened.
        last().file.truncate(last().endPlace());
      }
    }
  }

  /** Removes the oldest segment, which is not the only one. */
  long removeOldest() throws IOException {
    Segment oldest = segments.remove(0);
    long bytes = oldest.file.size();
    oldest.file.close();
    disk.delete(folder.resolve(Segment.name(oldest.base)));
    return bytes;
  }

  void close() throws IOException {
    for (Segment segment : segments) {
      segment.file.close();
    }
    segments.clear();
  }
}
