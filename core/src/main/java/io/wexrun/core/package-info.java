/**
 * The heart: what ingestion is, without files, network, database, YAML or terminal.
 *
 * <p>The packages, from the ground up: {@link io.wexrun.core.schema} (types), {@link
 * io.wexrun.core.diagnose} (mistakes and their places), {@link io.wexrun.core.intake} (blocks of
 * raw records with positions), {@link io.wexrun.core.batch} (rows in columns), {@link
 * io.wexrun.core.expression} (CEL over columns), {@link io.wexrun.core.pipeline} (definitions),
 * {@link io.wexrun.core.shape} (the pure function from block to rows for targets), {@link
 * io.wexrun.core.target} and {@link io.wexrun.core.tally} (contracts of what is written), {@link
 * io.wexrun.core.run} (the runner) and {@link io.wexrun.core.connect} (what a connector provides).
 */
package io.wexrun.core;
