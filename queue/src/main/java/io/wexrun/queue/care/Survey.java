package io.wexrun.queue.care;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.queue.disk.DiskFile;
import io.wexrun.queue.log.Pack;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Segment;
import io.wexrun.queue.log.SegmentHeader;
import io.wexrun.queue.log.SegmentIndex;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Every byte of a segment looked at: runs of whole packs, and what between them is none. Changes
 * nothing, and stops at no damage.
 */
final class Survey {
  /** Whole packs, one behind the other. */
  static final class Run {
    final long place;
    final List<Pack> packs = new ArrayList<>();
    final Map<String, SegmentHeader.Last> producers = new HashMap<>();
    private long bytes;

    Run(long place) {
      this.place = place;
    }

    long first() {
      return packs.get(0).baseOffset();
    }

    long next() {
      return packs.get(packs.size() - 1).end();
    }

    long bytes() {
      return bytes;
    }

    private void add(Pack pack, String producer) {
      packs.add(pack);
      bytes += pack.bytes();
      if (!producer.isEmpty()) {
        producers.put(producer, new SegmentHeader.Last(pack.sequence(), pack.baseOffset()));
      }
    }
  }

  /**
   * Bytes that are no whole pack.
   *
   * @param place where they begin
   * @param end where they end
   * @param position the position that the next record should have there
   * @param resumes the position with which whole packs go on; that behind the last one if none do
   */
  record Damage(long place, long end, long position, long resumes, String what) {}

  private final DiskFile file;
  private final long size;
  private final long base;
  private final Segment told;
  private Optional<SegmentHeader> header = Optional.empty();
  private final List<Run> runs = new ArrayList<>();
  private final List<Damage> damages = new ArrayList<>();
  private boolean indexed;

  private Survey(DiskFile file, long base) throws IOException {
    this.file = file;
    this.size = file.size();
    this.base = base;
    this.told = new Segment(base, file, SegmentHeader.LEAST, 0);
  }

  /** Looks at a file whose name says where it begins. */
  static Survey of(DiskFile file, int partition, long base) throws IOException {
    Survey survey = new Survey(file, base);
    survey.header = SegmentHeader.read(file, partition, base);
    survey.indexed = SegmentIndex.read(file, survey.told);
    survey.look();
    return survey;
  }

  private void look() throws IOException {
    long place = header.map(SegmentHeader::bytes).orElse(0);
    long next = base;
    long end = indexed ? told.endPlace() : size;
    if (header.isEmpty()) {
      place = damage(0, next, end, "the file's header is not whole");
    }
    boolean behindDamage = header.isEmpty();
    while (place < end) {
      if (!indexed && magic(place) == SegmentIndex.MAGIC) {
        damages.add(new Damage(place, size, next, next, "the index is not whole"));
        return;
      }
      byte[] data = new byte[0];
      Optional<Pack> pack = headerAt(place, end);
      String wrong = "not a pack: " + Counted.of(end - place, "byte");
      if (pack.isPresent()) {
        data = new byte[pack.get().bytes()];
        file.read(place, ByteBuffer.wrap(data));
        wrong = wrong(pack.get(), data, next, behindDamage);
      }
      if (!wrong.isEmpty()) {
        place = damage(place, next, end, wrong);
        behindDamage = true;
        continue;
      }
      if (behindDamage || runs.isEmpty()) {
        runs.add(new Run(place));
        behindDamage = false;
      }
      runs.get(runs.size() - 1).add(pack.get(), pack.get().producer(data, 0));
      next = pack.get().end();
      place += pack.get().bytes();
    }
    if (indexed && damages.isEmpty() && !toldRight()) {
      damages.add(
          new Damage(end, size, next, next, "the index tells other packs than the file has"));
    }
  }

  private Optional<Pack> headerAt(long place, long end) throws IOException {
    ByteBuffer bytes = ByteBuffer.allocate(Pack.HEADER);
    boolean whole = file.read(place, bytes) == Pack.HEADER;
    return whole ? Pack.read(bytes.array(), 0, end - place) : Optional.empty();
  }

  private int magic(long place) throws IOException {
    ByteBuffer magic = ByteBuffer.allocate(4);
    return file.read(place, magic) == 4 ? magic.getInt(0) : 0;
  }

  /** What is wrong with a pack; empty if nothing is. */
  private static String wrong(Pack pack, byte[] data, long next, boolean behindDamage) {
    if (!pack.whole(data, 0)) {
      return "the checksum of " + Counted.of(pack.count(), "record") + " is wrong";
    }
    boolean follows = behindDamage ? pack.baseOffset() >= next : pack.baseOffset() == next;
    if (!follows) {
      return "the pack begins with position " + pack.baseOffset() + ", not " + next;
    }
    if (pack.encrypted()) {
      return ""; // What is in it only who has the key can tell; the checksum is right.
    }
    try {
      int count = Packs.records(0, data, data.length, Long.MIN_VALUE).size();
      return count == pack.count()
          ? ""
          : "it has " + Counted.of(count, "record") + ", not " + pack.count();
    } catch (RuntimeException e) {
      // The checksum is right, so it was written like this: tell it, whatever it is.
      return "its records cannot be taken apart: " + e;
    }
  }

  /** Notes damage that begins at a place; where the next whole pack stands, or the end. */
  private long damage(long place, long position, long end, String what) throws IOException {
    byte[] rest = new byte[(int) Math.min(end - place, Integer.MAX_VALUE - 8)];
    int length = file.read(place, ByteBuffer.wrap(rest));
    // A record may hold the bytes of a pack, so the places that are told go before those found.
    int found = firstWhole(rest, length, position, toldPlaces(place, length));
    if (found < 0) {
      found = firstWhole(rest, length, position, magics(rest, length));
    }
    long resumes =
        found < 0 ? position : Pack.read(rest, found, length - found).orElseThrow().baseOffset();
    long until = found < 0 ? end : place + found;
    damages.add(new Damage(place, until, position, resumes, what));
    return until;
  }

  /** The first of some places at which a whole pack stands; -1 if none does. */
  private static int firstWhole(byte[] rest, int length, long position, List<Integer> places) {
    for (int at : places) {
      Optional<Pack> pack = Pack.read(rest, at, length - at);
      if (pack.isPresent() && pack.get().baseOffset() >= position && pack.get().whole(rest, at)) {
        return at;
      }
    }
    return -1;
  }

  private List<Integer> toldPlaces(long place, int length) {
    List<Integer> places = new ArrayList<>();
    for (int pack = 0; indexed && pack < told.packs(); pack++) {
      if (told.place(pack) > place && told.place(pack) - place < length) {
        places.add((int) (told.place(pack) - place));
      }
    }
    return places;
  }

  private static List<Integer> magics(byte[] rest, int length) {
    List<Integer> places = new ArrayList<>();
    // The length that a damaged pack gives may be right, so it goes first.
    Pack.read(rest, 0, length).ifPresent(pack -> places.add(pack.bytes()));
    for (int at = 1; at <= length - Pack.HEADER; at++) {
      if (rest[at] == 'W' && ByteBuffer.wrap(rest).getInt(at) == Pack.MAGIC) {
        places.add(at);
      }
    }
    return places;
  }

  private boolean toldRight() {
    Segment found = new Segment(base, file, header.orElseThrow().bytes(), 0);
    runs.forEach(run -> run.packs.forEach(found::note));
    return told.samePacks(found);
  }

  Optional<SegmentHeader> header() {
    return header;
  }

  List<Run> runs() {
    return runs;
  }

  List<Damage> damages() {
    return damages;
  }

  /** Whether there is a whole index at the end. */
  boolean indexed() {
    return indexed;
  }

  /** How many bytes the file has. */
  long bytes() {
    return size;
  }

  /** The position behind the last whole pack. */
  long next() {
    return runs.isEmpty() ? base : runs.get(runs.size() - 1).next();
  }

  /** Whether some whole pack behind a damage was written when the damaged place was synced. */
  boolean acknowledged(Damage damage) {
    return runs.stream()
        .filter(run -> run.place >= damage.end)
        .flatMap(run -> run.packs.stream())
        .anyMatch(pack -> pack.durable() > damage.position);
  }
}
