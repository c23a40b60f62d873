package io.wexrun.queue.log;

import java.util.Optional;

/**
 * Figures of a partition.
 *
 * @param partition from 0
 * @param oldest the position of the oldest record
 * @param end the position after the newest record
 * @param lost how many positions between them have no record since a repair
 * @param packs how many packs hold the records
 * @param bytes on disk
 * @param segments how many files
 * @param oldestMillis when the oldest record was appended; empty if there is none
 * @param newestMillis when the newest record was appended; empty if there is none
 * @param removedRecords how many records were removed since the queue was opened
 * @param removedBytes how many bytes were removed since the queue was opened
 */
public record PartitionInfo(
    int partition,
    long oldest,
    long end,
    long lost,
    long packs,
    long bytes,
    int segments,
    Optional<Long> oldestMillis,
    Optional<Long> newestMillis,
    long removedRecords,
    long removedBytes) {
  /** How many records there are. */
  public long records() {
    return end - oldest - lost;
  }
}
