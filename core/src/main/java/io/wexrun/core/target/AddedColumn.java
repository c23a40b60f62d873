package io.wexrun.core.target;

import java.time.Instant;

/**
 * A column that a table got because data had a field for which it had none.
 *
 * @param type in the store's words
 * @param by the pipeline that brought the field first
 * @param source where the first record with it came from
 * @param position where that record stands there; from it on the column is filled
 * @param at when the column was added
 */
public record AddedColumn(
    String column, String type, String by, String source, long position, Instant at) {}
