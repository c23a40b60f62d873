package io.wexrun.queue.care;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.queue.disk.Disk;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.PositionsFile;
import io.wexrun.queue.log.QueueFile;
import io.wexrun.queue.log.SegmentHeader;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import java.util.stream.Stream;

/** Reads every byte of a queue's files and compares it with the format. Changes nothing. */
public final class Verifier {
  private final Disk disk;
  private final Path folder;
  private final List<Verification.Fault> faults = new ArrayList<>();
  private int files;
  private long packs;
  private long records;
  private long bytes;
  private long lost;

  public Verifier(Disk disk, Path folder) {
    this.disk = disk;
    this.folder = folder;
  }

  /** Reads all partitions that are there. */
  public Verification verify() {
    try {
      List<String> partitions = partitions(disk, folder);
      if (QueueFile.read(disk, folder).isEmpty()) {
        fault("queue", 0, 0, "the file is not a queue's description");
      }
      long[] known = PositionsFile.ofSynced(disk, folder).read(partitions.size());
      for (String name : partitions) {
        int number = Integer.parseInt(name.substring(1));
        partition(name, number, number < known.length ? known[number] : -1);
      }
    } catch (IOException e) {
      throw new OutsideException("cannot read " + folder + ": " + e.getMessage(), e);
    }
    return new Verification(files, packs, records, bytes, lost, faults);
  }

  /** The names of the folders of partitions, also of those that should be there. */
  static List<String> partitions(Disk disk, Path folder) throws IOException {
    int told = QueueFile.read(disk, folder).map(QueueFile.Description::partitions).orElse(0);
    Stream<String> known = IntStream.range(0, told).mapToObj(number -> "p" + number);
    Stream<String> there = disk.list(folder).stream().filter(name -> name.matches("p\\d+"));
    return Stream.concat(known, there).distinct().toList();
  }

  private void partition(String name, int number, long synced) throws IOException {
    List<String> segments =
        disk.list(folder.resolve(name)).stream().filter(n -> n.endsWith(".packs")).toList();
    long next = -1;
    for (int i = 0; i < segments.size(); i++) {
      String file = segments.get(i);
      long base = Long.parseLong(file.substring(0, file.length() - 6));
      try (DiskFile open = disk.open(folder.resolve(name).resolve(file), false)) {
        Survey survey = Survey.of(open, number, base);
        long begins = base - survey.header().map(SegmentHeader::lost).orElse(0L);
        lost += base - begins;
        between(name + "/" + file, next < 0 ? begins : next, begins);
        segment(name + "/" + file, survey, i == segments.size() - 1, synced);
        next = survey.next();
      }
    }
    boolean told = faults.stream().anyMatch(f -> f.file().startsWith(name + "/") && !f.torn());
    if (Math.max(next, 0) < synced && !told) {
      fault(name, 0, Math.max(next, 0), "acknowledged records up to " + synced + " are missing");
    }
  }

  /** Positions without gap, but for those that a repair has told to be lost. */
  private void between(String name, long next, long begins) {
    if (begins < next) {
      fault(name, 0, next, "it begins with position " + begins + ", which the file before it has");
    } else if (begins > next) {
      fault(name, 0, next, "positions " + next + " to " + begins + " are missing");
    }
  }

  private void fault(String file, long place, long position, String what) {
    faults.add(new Verification.Fault(file, place, position, what, false));
  }

  private void segment(String name, Survey survey, boolean last, long synced) {
    files++;
    bytes += survey.bytes();
    for (Survey.Run run : survey.runs()) {
      packs += run.packs.size();
      records += run.packs.stream().mapToLong(Pack::count).sum();
    }
    for (Survey.Damage damage : survey.damages()) {
      boolean acknowledged = damage.position() < synced || survey.acknowledged(damage);
      String behind = acknowledged ? "; it was acknowledged, or records behind it were" : "";
      boolean headless = survey.header().isEmpty() && !survey.runs().isEmpty();
      boolean torn = last && !acknowledged && !headless;
      faults.add(
          new Verification.Fault(
              name, damage.place(), damage.position(), damage.what() + behind, torn));
    }
    if (!last && !survey.indexed() && survey.damages().isEmpty()) {
      String missing = "the index at the end of a finished file is missing";
      fault(name, survey.bytes(), survey.next(), missing);
    }
  }
}
