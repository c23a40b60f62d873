package io.wexrun.core.shape;

/**
 * What a place of a pipeline did with rows, and how long it took. It is only told: nothing depends
 * on it.
 *
 * @param in rows that came
 * @param out rows that went on
 * @param dead records that died there, or were dropped
 * @param defaults values that were none of their type, for which others were taken, since it is
 *     written so
 * @param nanos time of one thread, in nanoseconds
 */
public record Effort(long in, long out, long dead, long defaults, long nanos) {
  /** Nothing yet. */
  public static final Effort NONE = new Effort(0, 0, 0, 0, 0);

  /** The sum of two. */
  public Effort plus(Effort other) {
    return new Effort(
        in + other.in,
        out + other.out,
        dead + other.dead,
        defaults + other.defaults,
        nanos + other.nanos);
  }

  /** What this place did, and another one that is a part of it, right behind. */
  Effort then(Effort next) {
    return new Effort(in, next.out, dead + next.dead, defaults + next.defaults, nanos + next.nanos);
  }
}
