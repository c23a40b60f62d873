/** Where senders come in: addresses, encryption, and the way from there into a queue. */
package io.wexrun.network.door;
