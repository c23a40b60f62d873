package io.wexrun.queue;

/**
 * How far a group is behind in one partition.
 *
 * @param partition from 0
 * @param committed the position behind the last record that is committed
 * @param end the position behind the newest record
 * @param records how many records are not committed yet
 * @param member the number of the member that has the partition; -1 for none
 */
public record Lag(int partition, long committed, long end, long records, int member) {}
