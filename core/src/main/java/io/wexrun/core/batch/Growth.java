package io.wexrun.core.batch;

/**
 * Bounds how much memory the columns take that a thread makes of one block. It counts only when a
 * column outgrows its room, so that it costs nothing beside that.
 */
public final class Growth {
  private static final long LEAST = 16L << 20;

  /** The shares of the heap for what a step makes of many records, and of a single one. */
  private static final int MANY = 16;

  private static final int ONE = 8;

  private static final ThreadLocal<long[]> ROOM = new ThreadLocal<>();

  private Growth() {}

  /** About how many bytes the columns of a batch of so many records may take. */
  public static long limit(int records) {
    return Math.max(LEAST, Runtime.getRuntime().maxMemory() / (records > 1 ? MANY : ONE));
  }

  /**
   * From now on this thread's columns may grow only so far, until {@link #end()}.
   *
   * @param taken what the columns take already
   * @throws GrowthException if that is too much
   */
  public static void begin(long limit, long taken) {
    if (taken > limit) {
      throw new GrowthException(limit);
    }
    ROOM.set(new long[] {limit - taken, limit});
  }

  /** Columns may grow without bounds again. */
  public static void end() {
    ROOM.remove();
  }

  /** A column of this thread is about to grow by so many bytes. */
  static void by(long bytes) {
    long[] room = ROOM.get();
    if (room != null) {
      room[0] -= bytes;
      if (room[0] < 0) {
        throw new GrowthException(room[1]);
      }
    }
  }
}
