/** The books: what became of every record, and the contract of who keeps them. */
package io.wexrun.core.tally;
