/** How bytes become records: what cuts a block, and where its last whole record ends. */
package io.wexrun.core.framing;
