/** A small receiver of rows over HTTP, for trying and testing deliveries. */
package io.wexrun.network.collector;
