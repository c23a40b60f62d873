/**
 * What comes from the network and cannot be read again: it is appended to a durable queue, and its
 * sender is answered when it is there. From the queue on the road is that of any other record.
 */
package io.wexrun.network;
