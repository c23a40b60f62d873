/** Queues at the ends of pipelines: intake, target, dead letters, and channels on disk. */
package io.wexrun.queue.ends;
