package io.wexrun.queue;

import io.wexrun.queue.disk.DiskFile;
import java.util.Arrays;

/**
 * One file of packs, and where in it each pack stands. Guarded by its partition.
 *
 * <pre>
 * Segment     --&gt; Header, Pack*, Index?
 * </pre>
 */
final class Segment {
  final long base;
  final DiskFile file;
  private long[] positions = new long[16];
  private long[] places = new long[17];
  private long[] firstTimes = new long[16];
  private long[] lastTimes = new long[16];
  private int packs;
  private boolean sealed;

  /** A segment whose first pack stands at a place. */
  Segment(long base, DiskFile file, long firstPlace) {
    this.base = base;
    this.file = file;
    places[0] = firstPlace;
  }

  static String name(long base) {
    return String.format("%020d.packs", base);
  }

  /** Notes a pack at the end. */
  void note(Pack pack) {
    long place = places[packs];
    note(pack.baseOffset(), place, pack.firstTime(), pack.lastTime());
    places[packs] = place + pack.bytes();
  }

  /** Notes a pack that begins at a place; where it ends is not said. */
  void note(long base, long place, long firstTime, long lastTime) {
    if (packs + 1 >= places.length) {
      positions = Arrays.copyOf(positions, packs * 2);
      firstTimes = Arrays.copyOf(firstTimes, packs * 2);
      lastTimes = Arrays.copyOf(lastTimes, packs * 2);
      places = Arrays.copyOf(places, packs * 2 + 1);
    }
    positions[packs] = base;
    firstTimes[packs] = firstTime;
    lastTimes[packs] = lastTime;
    places[packs] = place;
    packs++;
  }

  /** Says that nothing is appended any more, and where the packs end. */
  void sealed(long end) {
    places[packs] = end;
    sealed = true;
  }

  boolean isSealed() {
    return sealed;
  }

  long firstTime(int pack) {
    return firstTimes[pack];
  }

  long lastTime(int pack) {
    return lastTimes[pack];
  }

  /** The latest time of its records; {@link Long#MIN_VALUE} if it has none. */
  long newest() {
    long newest = Long.MIN_VALUE;
    for (int pack = 0; pack < packs; pack++) {
      newest = Math.max(newest, lastTimes[pack]);
    }
    return newest;
  }

  /** Where the next pack would stand: the file's end as far as it is whole. */
  long endPlace() {
    return places[packs];
  }

  int packs() {
    return packs;
  }

  long place(int pack) {
    return places[pack];
  }

  long position(int pack) {
    return positions[pack];
  }

  /** The number of the pack that holds a position, which must be in this segment. */
  int packOf(long position) {
    int found = Arrays.binarySearch(positions, 0, packs, position);
    return found >= 0 ? found : -found - 2;
  }
}
