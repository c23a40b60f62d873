/**
 * The bounded buffer between a pipeline's intake and its delivery: the contract, and the one in
 * memory.
 */
package io.wexrun.core.channel;
