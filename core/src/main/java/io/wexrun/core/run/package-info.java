/** The runner: channel, lanes, re-sequencing, buffers, flushes and the accounting of ranges. */
package io.wexrun.core.run;
