package io.wexrun.queue;

/**
 * What a producer has done. Records and packs are different things: a pack holds many records.
 *
 * @param recordsAppended records that were taken by {@code append}
 * @param recordsAcknowledged records that are stored as the sync policy asks
 * @param recordsFailed records that could not be stored; their futures say why
 * @param packsWritten packs that hold the acknowledged records
 * @param bytesWritten bytes of those packs
 * @param recordsHeld records that wait to be written
 * @param bytesHeld about how many bytes those take
 * @param retries how often a write was tried again
 */
public record ProducerFigures(
    long recordsAppended,
    long recordsAcknowledged,
    long recordsFailed,
    long packsWritten,
    long bytesWritten,
    long recordsHeld,
    long bytesHeld,
    long retries) {}
