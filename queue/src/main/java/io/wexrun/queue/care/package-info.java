/** Looks after the files of queues that need not be ones that can be opened. */
package io.wexrun.queue.care;
