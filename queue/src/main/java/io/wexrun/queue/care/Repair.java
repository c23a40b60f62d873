package io.wexrun.queue.care;

import java.util.List;

/**
 * What a repair of a queue does, or would do.
 *
 * @param done whether it was done, or only looked at
 * @param records how many records are kept: all that stand in whole packs
 * @param lost how many positions no record has afterwards
 * @param losses each damaged place, in the order of partitions and positions; none if nothing is to
 *     be repaired
 */
public record Repair(boolean done, long records, long lost, List<Loss> losses) {
  /** Copies the losses. */
  public Repair {
    losses = List.copyOf(losses);
  }

  /**
   * A damaged place.
   *
   * @param file from the queue's folder on; its partition if a file is missing
   * @param place the first damaged byte in the file, from 0
   * @param bytes how many bytes are set aside
   * @param from the position of the first record that is lost
   * @param to the position behind the last one; {@code from} if none is
   * @param what what is wrong
   * @param aside the file with the bytes that are set aside, from the queue's folder on; empty if
   *     there are none
   */
  public record Loss(
      String file, long place, long bytes, long from, long to, String what, String aside) {}

  /** Whether there is something to repair. */
  public boolean needed() {
    return !losses.isEmpty();
  }
}
