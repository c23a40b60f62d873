/**
 * Stores to which rows are delivered over HTTP: each flush is cut into posts, which are kept on
 * disk until the other side has said what became of them.
 */
package io.wexrun.network.delivery;
