package io.wexrun.queue;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/** Reads every byte of a queue's files and compares it with the format. Changes nothing. */
final class Verifier {
  private final Disk disk;
  private final Path folder;
  private final List<Verification.Fault> faults = new ArrayList<>();
  private int files;
  private long packs;
  private long records;
  private long bytes;

  /** Up to where the partition that is read was synced. */
  private long synced;

  Verifier(Disk disk, Path folder) {
    this.disk = disk;
    this.folder = folder;
  }

  /** Reads all partitions that are there. */
  Verification verify() {
    try {
      List<String> partitions =
          disk.list(folder).stream().filter(name -> name.matches("p\\d+")).toList();
      long[] known = PositionsFile.ofSynced(disk, folder).read(partitions.size());
      for (String name : partitions) {
        int number = Integer.parseInt(name.substring(1));
        synced = number < known.length ? known[number] : -1;
        partition(name, number);
      }
    } catch (IOException e) {
      throw new OutsideException("cannot read " + folder + ": " + e.getMessage(), e);
    }
    return new Verification(files, packs, records, bytes, faults);
  }

  private void partition(String name, int number) throws IOException {
    List<String> segments =
        disk.list(folder.resolve(name)).stream().filter(n -> n.endsWith(".packs")).toList();
    long next = -1;
    for (int i = 0; i < segments.size(); i++) {
      String file = segments.get(i);
      long base = Long.parseLong(file.substring(0, file.length() - 6));
      if (next >= 0 && base != next) {
        fault(name + "/" + file, 0, next, "positions " + next + " to " + base + " are missing");
      }
      try (DiskFile open = disk.open(folder.resolve(name).resolve(file), false)) {
        next = segment(name + "/" + file, open, number, base, i == segments.size() - 1);
      }
    }
    boolean told = faults.stream().anyMatch(f -> f.file().startsWith(name + "/") && !f.torn());
    if (Math.max(next, 0) < synced && !told) {
      fault(name, 0, Math.max(next, 0), "acknowledged records up to " + synced + " are missing");
    }
  }

  private void fault(String file, long place, long position, String what) {
    faults.add(new Verification.Fault(file, place, position, what, false));
  }

  /** Reads a file; the position behind its last whole pack. */
  private long segment(String name, DiskFile file, int number, long base, boolean last)
      throws IOException {
    files++;
    bytes += file.size();
    Optional<SegmentHeader> header = SegmentHeader.read(file, number, base);
    if (header.isEmpty()) {
      boolean unused = last && !Log.acknowledgedBehind(file, 0, -1);
      faults.add(new Verification.Fault(name, 0, base, "the file's header is not whole", unused));
      return base;
    }
    long place = header.get().bytes();
    Segment found = new Segment(base, file, place);
    long next = base;
    while (place < file.size()) {
      if (isIndex(file, place)) {
        index(name, file, found, place, next, last);
        return next;
      }
      Optional<Pack> pack = pack(name, file, place, next, last);
      if (pack.isEmpty()) {
        return next;
      }
      found.note(pack.get());
      packs++;
      records += pack.get().count();
      next = pack.get().end();
      place += pack.get().bytes();
    }
    if (!last) {
      fault(name, place, next, "the index at the end of a finished file is missing");
    }
    return next;
  }

  private static boolean isIndex(DiskFile file, long place) throws IOException {
    ByteBuffer magic = ByteBuffer.allocate(4);
    return file.read(place, magic) == 4 && magic.getInt(0) == SegmentIndex.MAGIC;
  }

  /** Reads a pack; empty, with the fault, if it is not whole. */
  private Optional<Pack> pack(String name, DiskFile file, long place, long next, boolean last)
      throws IOException {
    long left = file.size() - place;
    ByteBuffer header = ByteBuffer.allocate(Pack.HEADER);
    boolean whole = file.read(place, header) == Pack.HEADER;
    Optional<Pack> pack = whole ? Pack.read(header.array(), 0, left) : Optional.empty();
    if (pack.isEmpty()) {
      return bad(name, file, place, next, last, left + " bytes are no pack");
    }
    if (pack.get().baseOffset() != next) {
      String what = "the pack begins with position " + pack.get().baseOffset() + ", not " + next;
      return bad(name, file, place, next, last, what);
    }
    byte[] data = new byte[pack.get().bytes()];
    file.read(place, ByteBuffer.wrap(data));
    if (!pack.get().whole(data, 0)) {
      String what = "the checksum of " + pack.get().count() + " records is wrong";
      return bad(name, file, place, next, last, what);
    }
    try {
      int count = Packs.records(0, data, data.length, Long.MIN_VALUE).size();
      if (count != pack.get().count()) {
        fault(name, place, next, "it has " + count + " records, not " + pack.get().count());
      }
    } catch (RuntimeException e) {
      // The checksum is right, so it was written like this: tell it, whatever it is.
      fault(name, place, next, "its records cannot be taken apart: " + e);
    }
    return pack;
  }

  /** Tells of a pack that is not whole: torn if nothing acknowledged stands behind it. */
  private Optional<Pack> bad(
      String name, DiskFile file, long place, long next, boolean last, String what)
      throws IOException {
    boolean acknowledged = next < synced || Log.acknowledgedBehind(file, place, next);
    String behind = acknowledged ? "; it was acknowledged, or records behind it were" : "";
    faults.add(new Verification.Fault(name, place, next, what + behind, last && !acknowledged));
    return Optional.empty();
  }

  private void index(String name, DiskFile file, Segment found, long place, long next, boolean last)
      throws IOException {
    Segment told = new Segment(found.base, file, found.place(0));
    if (!SegmentIndex.read(file, told) || told.endPlace() != place) {
      faults.add(new Verification.Fault(name, place, next, "the index is not whole", last));
      return;
    }
    boolean same = told.packs() == found.packs();
    for (int pack = 0; same && pack < found.packs(); pack++) {
      same =
          told.position(pack) == found.position(pack)
              && told.place(pack) == found.place(pack)
              && told.firstTime(pack) == found.firstTime(pack)
              && told.lastTime(pack) == found.lastTime(pack);
    }
    if (!same) {
      fault(name, place, next, "the index tells other packs than the file has");
    }
  }
}
