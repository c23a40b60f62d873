package io.wexrun.core.target;

/**
 * What a committed flush did.
 *
 * @param written rows that the target says it wrote
 * @param skipped rows that it had committed before, by its own progress
 */
public record Receipt(long written, long skipped) {}
