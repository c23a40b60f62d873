/**
 * The partitioned queue on disk, usable without a pipeline: {@link io.wexrun.queue.Queue} opens
 * one, {@link io.wexrun.queue.Producer} appends, {@link io.wexrun.queue.Reader} reads.
 */
package io.wexrun.queue;
