package io.wexrun.core.tally;

import io.wexrun.core.intake.SourcePartition;

/**
 * A range of a source partition that is done, and what became of it.
 *
 * @param source the source partition
 * @param from the position where the range starts: where the tally ended before
 * @param to the position after the range
 * @param counts what became of its records
 */
public record Account(SourcePartition source, long from, long to, Counts counts) {}
