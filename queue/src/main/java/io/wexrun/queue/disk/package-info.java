/**
 * The one place where the queue meets the file system, so that tests can cut the power anywhere.
 */
package io.wexrun.queue.disk;
