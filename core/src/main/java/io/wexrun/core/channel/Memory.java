package io.wexrun.core.channel;

/**
 * A bounded number of bytes that several users share. Each may always hold one thing, and half of
 * an equal part; and more than that as long as all together keep within the bound. So nobody
 * starves beside one who holds much, and all together stay within about one and a half bounds. For
 * several threads.
 */
public final class Memory {
  private final long bound;
  private long held;
  private int users;

  /**
   * Memory that is bounded.
   *
   * @param bound in bytes, at least 1
   */
  public Memory(long bound) {
    this.bound = bound;
  }

  /** Another user. */
  public synchronized Share share() {
    users++;
    return new Share();
  }

  /** All bytes that are held. */
  public synchronized long held() {
    return held;
  }

  /** What one user holds. For several threads. */
  public final class Share implements AutoCloseable {
    private long own;
    private boolean closed;

    private Share() {}

    /** Whether so many more bytes may be held. */
    public boolean room(long more) {
      synchronized (Memory.this) {
        return own == 0 || held + more <= bound || own + more <= bound / (2L * users);
      }
    }

    /** Whether this user holds more than it may. */
    public boolean full() {
      return !room(0);
    }

    /** Notes that so many more bytes are held, whether there is room or not. */
    public void take(long more) {
      synchronized (Memory.this) {
        own += more;
        held += more;
      }
    }

    /** Notes that so many bytes are not held any more. */
    public void give(long less) {
      take(-less);
    }

    /** What this user holds, as a part of the bound. */
    public double fill() {
      return (double) held() / bound;
    }

    /** The bytes that this user holds. */
    public long held() {
      synchronized (Memory.this) {
        return own;
      }
    }

    /** Gives all back. */
    @Override
    public void close() {
      synchronized (Memory.this) {
        if (!closed) {
          closed = true;
          give(own);
          users--;
        }
      }
    }
  }
}
