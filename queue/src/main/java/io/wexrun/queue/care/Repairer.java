package io.wexrun.queue.care;

import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PositionsFile;
import io.wexrun.queue.log.QueueFile;
import io.wexrun.queue.log.Segment;
import io.wexrun.queue.log.SegmentHeader;
import io.wexrun.queue.log.SegmentIndex;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.Iterator;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.UUID;

/**
 * Makes a damaged queue one that can be opened: every whole pack keeps its positions, everything
 * else goes into files of its own, and the positions in between are marked as lost.
 *
 * <p>Damaged files are written anew beside themselves, synced, and only then put in the place of
 * the old ones. A repair that is cut off leaves either the old file or whole new ones, and is done
 * by repairing again.
 */
public final class Repairer {
  static final String ASIDE = "set-aside";

  private static final String PACKS = ".packs";
  private static final String MENDED = ".mended";
  private static final int COPY = 1 << 20;

  private final Disk disk;
  private final Path folder;
  private final boolean dry;
  private final long nowMillis;
  private final List<Repair.Loss> losses = new ArrayList<>();
  private UUID queue;
  private long records;

  /** A file as it shall be: some packs of one that is there, or none. */
  private record Wanted(
      long base,
      long lost,
      Path from,
      Optional<Survey.Run> run,
      Map<String, SegmentHeader.Last> producers,
      boolean indexed,
      boolean asItIs) {
    Wanted {
      producers = Map.copyOf(producers);
    }

    /** The same, written anew if it has no index. */
    Wanted withIndex() {
      return new Wanted(base, lost, from, run, producers, indexed, asItIs && indexed);
    }
  }

  public Repairer(Disk disk, Path folder, long nowMillis, boolean dry) {
    this.disk = disk;
    this.folder = folder;
    this.nowMillis = nowMillis;
    this.dry = dry;
  }

  /**
   * Repairs all partitions.
   *
   * @param passed positions that somebody has gone on from, which must not be given to new records
   */
  public Repair repair(Collection<long[]> passed) throws IOException {
    List<String> partitions = Verifier.partitions(disk, folder);
    Optional<QueueFile.Description> told = QueueFile.read(disk, folder);
    queue = told.isPresent() ? told.get().id() : identity(partitions);
    if (told.isEmpty()) {
      losses.add(loss("queue", 0, 0, 0, "the file is not a queue's description"));
      if (!dry) {
        QueueFile.write(disk, folder, new QueueFile.Description(queue, partitions.size()));
      }
    }
    long[] synced = PositionsFile.ofSynced(disk, folder).read(partitions.size());
    List<long[]> committed = new ArrayList<>(passed);
    committed.add(synced);
    for (String group : PositionsFile.groups(disk, folder)) {
      committed.add(PositionsFile.ofGroup(disk, folder, group).read(partitions.size()));
    }
    for (String name : partitions) {
      int number = Integer.parseInt(name.substring(1));
      long end = 0;
      for (long[] positions : committed) {
        end = number < positions.length ? Math.max(end, positions[number]) : end;
      }
      partition(name, number, end);
    }
    long lost = losses.stream().mapToLong(loss -> loss.to() - loss.from()).sum();
    return new Repair(!dry, records, lost, losses);
  }

  /** The identity that a file's header tells; a new one if none is whole. */
  private UUID identity(List<String> partitions) throws IOException {
    for (String name : partitions) {
      Path place = folder.resolve(name);
      int number = Integer.parseInt(name.substring(1));
      for (String segment : disk.list(place)) {
        if (segment.endsWith(PACKS)) {
          try (DiskFile file = disk.open(place.resolve(segment), false)) {
            Optional<SegmentHeader> header = SegmentHeader.read(file, number, base(segment));
            if (header.isPresent()) {
              return header.get().queue();
            }
          }
        }
      }
    }
    return UUID.randomUUID();
  }

  private void partition(String name, int number, long end) throws IOException {
    Path place = folder.resolve(name);
    Map<Long, Path> files = files(place, number);
    List<Wanted> wanted = new ArrayList<>();
    Map<String, SegmentHeader.Last> producers = new HashMap<>();
    long next = -1;
    int before = losses.size();
    for (Iterator<Map.Entry<Long, Path>> each = files.entrySet().iterator(); each.hasNext(); ) {
      Map.Entry<Long, Path> file = each.next();
      next = want(number, file.getKey(), file.getValue(), !each.hasNext(), next, producers, wanted);
    }
    if (Math.max(0, next) < end) {
      long from = Math.max(0, next);
      losses.add(loss(name, 0, from, end, "acknowledged records are missing"));
      wanted.replaceAll(Wanted::withIndex);
      wanted.add(new Wanted(end, end - from, place, Optional.empty(), producers, false, false));
    }
    if (losses.size() > before && !dry) {
      disk.makeFolder(place);
      write(place, number, files, wanted);
    }
  }

  /** The files of packs by their first position; with those that an earlier repair left. */
  private Map<Long, Path> files(Path place, int number) throws IOException {
    Map<Long, Path> files = new TreeMap<>();
    List<Path> mended = new ArrayList<>();
    for (String name : disk.list(place)) {
      if (name.endsWith(PACKS)) {
        files.put(base(name), place.resolve(name));
      } else if (name.endsWith(MENDED)) {
        mended.add(place.resolve(name));
      }
    }
    for (Path path : mended) {
      long base = base(path.getFileName().toString());
      boolean adopted = !has(files, number, base) && whole(path, number, base);
      if (adopted) {
        files.put(base, path);
      }
      if (!dry && adopted) {
        Path finished = place.resolve(Segment.name(base));
        disk.rename(path, finished);
        files.put(base, finished);
      } else if (!dry) {
        disk.delete(path);
      }
    }
    return files;
  }

  private static long base(String name) {
    return Long.parseLong(name.substring(0, name.indexOf('.')));
  }

  /** Whether some file has whole packs with a position. */
  private boolean has(Map<Long, Path> files, int number, long position) throws IOException {
    for (Map.Entry<Long, Path> each : files.entrySet()) {
      try (DiskFile file = disk.open(each.getValue(), false)) {
        for (Survey.Run run : Survey.of(file, number, each.getKey()).runs()) {
          if (run.first() <= position && position < run.next()) {
            return true;
          }
        }
      }
    }
    return false;
  }

  private boolean whole(Path path, int number, long base) throws IOException {
    try (DiskFile file = disk.open(path, false)) {
      Survey survey = Survey.of(file, number, base);
      return survey.header().isPresent() && survey.damages().isEmpty();
    }
  }

  /**
   * Says what is wanted of a file.
   *
   * @param last whether packs may be appended to it, so that it needs no index
   * @param next the position behind the files before it; -1 if it is the first
   * @return the position behind it
   */
  private long want(
      int number,
      long base,
      Path path,
      boolean last,
      long next,
      Map<String, SegmentHeader.Last> producers,
      List<Wanted> wanted)
      throws IOException {
    String name = folder.relativize(path).toString().replace('\\', '/');
    try (DiskFile file = disk.open(path, false)) {
      Survey survey = Survey.of(file, number, base);
      int before = losses.size();
      survey.header().ifPresent(header -> producers.putAll(header.producers()));
      long from = base - survey.header().map(SegmentHeader::lost).orElse(0L);
      long behind = next < 0 ? from : next;
      boolean nothing = survey.header().isEmpty() && survey.runs().isEmpty();
      if (from > behind && !nothing) {
        losses.add(loss(name, 0, behind, from, "the records before it are missing"));
      }
      for (Survey.Damage damage : survey.damages()) {
        setAside(name, file, damage);
      }
      if (!last && !survey.indexed() && survey.damages().isEmpty()) {
        losses.add(
            loss(name, survey.bytes(), survey.next(), survey.next(), "the index is missing"));
      }
      List<Survey.Run> kept = new ArrayList<>();
      for (Survey.Run run : survey.runs()) {
        if (run.first()
            >= Math.max(behind, kept.isEmpty() ? 0 : kept.get(kept.size() - 1).next())) {
          kept.add(run);
        } else {
          String what = "the files before it have these positions";
          long end = run.place + run.bytes();
          setAside(name, file, new Survey.Damage(run.place, end, behind, behind, what));
        }
      }
      boolean asItIs = losses.size() == before;
      for (Survey.Run run : kept) {
        wanted.add(
            new Wanted(
                run.first(),
                run.first() - behind,
                path,
                Optional.of(run),
                producers,
                survey.indexed(),
                asItIs));
        producers.putAll(run.producers);
        behind = run.next();
        records += run.packs.stream().mapToLong(Pack::count).sum();
      }
      if (survey.runs().isEmpty() && survey.header().isPresent() && base >= behind) {
        wanted.add(
            new Wanted(
                base, base - behind, path, Optional.empty(), producers, survey.indexed(), asItIs));
        behind = base;
      }
      return behind;
    }
  }

  private static Repair.Loss loss(String file, long place, long from, long to, String what) {
    return new Repair.Loss(file, place, 0, from, to, what, "");
  }

  private void setAside(String name, DiskFile file, Survey.Damage damage) throws IOException {
    long bytes = damage.end() - damage.place();
    String aside =
        bytes == 0
            ? ""
            : ASIDE + "/" + name.replace('/', '-').replace(PACKS, "") + "-" + damage.place();
    losses.add(
        new Repair.Loss(
            name,
            damage.place(),
            bytes,
            damage.position(),
            damage.resumes(),
            damage.what(),
            aside));
    if (!dry && bytes > 0) {
      disk.makeFolder(folder.resolve(ASIDE));
      Path path = folder.resolve(aside);
      if (disk.list(folder.resolve(ASIDE)).contains(path.getFileName().toString())) {
        disk.delete(path); // Of a repair that was cut off; the bytes are still where they were.
      }
      try (DiskFile out = disk.create(path)) {
        copy(file, damage.place(), out, 0, bytes);
        out.sync();
      }
    }
  }

  private static void copy(DiskFile from, long place, DiskFile to, long at, long bytes)
      throws IOException {
    for (long done = 0; done < bytes; done += COPY) {
      ByteBuffer part = ByteBuffer.allocate((int) Math.min(COPY, bytes - done));
      from.read(place + done, part);
      to.write(at + done, part.flip());
    }
  }

  /** Writes what is wanted and not there, and then puts it in the place of what was. */
  private void write(Path place, int number, Map<Long, Path> files, List<Wanted> wanted)
      throws IOException {
    Set<Path> gone = new LinkedHashSet<>(files.values());
    List<Wanted> fresh = new ArrayList<>();
    for (int i = 0; i < wanted.size(); i++) {
      Wanted each = wanted.get(i);
      if (each.asItIs) {
        gone.remove(each.from);
      } else {
        fresh.add(each);
        write(mended(place, each), number, each, i < wanted.size() - 1);
      }
    }
    for (Wanted each : fresh) {
      Path finished = place.resolve(Segment.name(each.base));
      if (gone.remove(finished)) {
        disk.rename(mended(place, each), finished);
      }
    }
    for (Path old : gone) {
      disk.delete(old);
    }
    List<String> left = disk.list(place);
    for (Wanted each : fresh) {
      if (left.contains(mended(place, each).getFileName().toString())) {
        disk.rename(mended(place, each), place.resolve(Segment.name(each.base)));
      }
    }
  }

  private static Path mended(Path place, Wanted wanted) {
    return place.resolve(Segment.name(wanted.base).replace(PACKS, MENDED));
  }

  private void write(Path path, int number, Wanted wanted, boolean index) throws IOException {
    ByteBuffer header =
        SegmentHeader.of(queue, number, wanted.base, wanted.lost, nowMillis, wanted.producers);
    int bytes = header.remaining();
    try (DiskFile out = disk.create(path)) {
      out.write(0, header);
      Segment segment = new Segment(wanted.base, out, bytes, wanted.lost);
      if (wanted.run.isPresent()) {
        try (DiskFile from = disk.open(wanted.from, false)) {
          copy(from, wanted.run.get().place, out, bytes, wanted.run.get().bytes());
        }
        wanted.run.get().packs.forEach(segment::note);
      }
      if (index) {
        out.write(segment.endPlace(), SegmentIndex.of(segment));
      }
      out.sync();
    }
  }
}
