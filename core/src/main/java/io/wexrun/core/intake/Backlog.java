package io.wexrun.core.intake;

/**
 * What an intake knows of that it has not handed out yet: how far a pipeline is behind its source.
 *
 * @param done what this intake has handed out since it was opened
 * @param left what it has not handed out yet
 * @param unit in what both are counted
 */
public record Backlog(long done, long left, Unit unit) {
  /** In what a backlog is counted. */
  public enum Unit {
    /** Bytes as they stand in the source, packed or not. */
    BYTES,
    /** Records. */
    RECORDS
  }

  /** The share that is done, from 0 to 1; 1 if there is nothing to do. */
  public double share() {
    return done + left == 0 ? 1 : (double) done / (done + left);
  }
}
