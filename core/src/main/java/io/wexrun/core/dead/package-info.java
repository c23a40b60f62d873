/** Records that were rejected, and why. */
package io.wexrun.core.dead;
