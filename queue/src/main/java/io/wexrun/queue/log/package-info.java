/**
 * The log on disk: partitions, the files that they consist of, and the packs in these. The grammars
 * of all files stand in the classes that write and read them.
 */
package io.wexrun.queue.log;
