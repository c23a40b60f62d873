package io.wexrun.core.shape;

import java.util.List;

/**
 * The records of a block, tried out.
 *
 * @param trials one for each record, in order
 * @param shaped what would become of the block
 */
public record BlockTrial(List<RecordTrial> trials, Shaped shaped) {}
