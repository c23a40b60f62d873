package io.wexrun.core.target;

import io.wexrun.core.intake.SourcePartition;

/**
 * A row that a store did not take.
 *
 * @param source where its record comes from
 * @param position where its record stands there
 * @param row which of the record's rows for this target, from 0
 * @param why the store's own message, for people; may be empty
 */
public record Refusal(SourcePartition source, long position, int row, String why) {}
