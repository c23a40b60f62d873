/**
 * Shaping: the pure function from a block of raw records to rows for each target and dead letters.
 */
package io.wexrun.core.shape;
