package io.wexrun.queue;

/**
 * Where a record stands that was acknowledged.
 *
 * @param partition from 0
 * @param position its position; -1 for a repetition whose place is not known any more
 * @param repeated whether the queue had it already, so that it was not appended again
 */
public record Appended(int partition, long position, boolean repeated) {}
