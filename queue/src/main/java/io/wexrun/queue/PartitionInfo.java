package io.wexrun.queue;

/**
 * Figures of a partition.
 *
 * @param partition from 0
 * @param oldest the position of the oldest record
 * @param end the position after the newest record
 * @param packs how many packs hold the records
 * @param bytes on disk
 * @param segments how many files
 */
public record PartitionInfo(
    int partition, long oldest, long end, long packs, long bytes, int segments) {
  /** How many records there are. */
  public long records() {
    return end - oldest;
  }
}
