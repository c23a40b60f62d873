/** Who may come in: tokens, of which only digests are kept, and what each of them may do. */
package io.wexrun.network.access;
