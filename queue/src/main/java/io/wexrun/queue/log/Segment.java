package io.wexrun.queue.log;

import io.wexrun.queue.disk.DiskFile;
import java.util.Arrays;

/**
 * One file of packs, and where in it each pack stands. Guarded by its partition.
 *
 * <pre>
 * Segment     --&gt; Header, Pack*, Index?
 * </pre>
 */
public final class Segment {
  public final long base;
  public final long lost;
  public final DiskFile file;
  private long[] positions = new long[16];
  private long[] places = new long[17];
  private long[] firstTimes = new long[16];
  private long[] lastTimes = new long[16];
  private int packs;
  private long next;
  private boolean sealed;

  /**
   * A segment without packs yet.
   *
   * @param firstPlace where the first one stands
   * @param lost how many positions before it were lost
   */
  public Segment(long base, DiskFile file, long firstPlace, long lost) {
    this.base = base;
    this.lost = lost;
    this.next = base;
    this.file = file;
    places[0] = firstPlace;
  }

  public static String name(long base) {
    return String.format("%020d.packs", base);
  }

  /** Notes a pack at the end. */
  public void note(Pack pack) {
    long place = places[packs];
    note(pack.baseOffset(), place, pack.firstTime(), pack.lastTime());
    places[packs] = place + pack.bytes();
    next = pack.end();
  }

  /** Notes a pack that begins at a place; where it ends is not said. */
  public void note(long base, long place, long firstTime, long lastTime) {
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

  /** Says that nothing is appended any more, where the packs end, and with which position. */
  public void sealed(long end, long nextPosition) {
    places[packs] = end;
    next = nextPosition;
    sealed = true;
  }

  /** The position behind the last record. */
  public long next() {
    return next;
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
  public long newest() {
    long newest = Long.MIN_VALUE;
    for (int pack = 0; pack < packs; pack++) {
      newest = Math.max(newest, lastTimes[pack]);
    }
    return newest;
  }

  /** Where the next pack would stand: the file's end as far as it is whole. */
  public long endPlace() {
    return places[packs];
  }

  public int packs() {
    return packs;
  }

  public long place(int pack) {
    return places[pack];
  }

  public long position(int pack) {
    return positions[pack];
  }

  /** Whether this one has the same packs at the same places. */
  public boolean samePacks(Segment other) {
    return packs == other.packs
        && next == other.next
        && Arrays.equals(positions, 0, packs, other.positions, 0, packs)
        && Arrays.equals(places, 0, packs + 1, other.places, 0, packs + 1)
        && Arrays.equals(firstTimes, 0, packs, other.firstTimes, 0, packs)
        && Arrays.equals(lastTimes, 0, packs, other.lastTimes, 0, packs);
  }

  /** The number of the pack that holds a position, which must be in this segment. */
  int packOf(long position) {
    int found = Arrays.binarySearch(positions, 0, packs, position);
    return found >= 0 ? found : -found - 2;
  }
}
