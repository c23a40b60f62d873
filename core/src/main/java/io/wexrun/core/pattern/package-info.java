/**
 * Texts as bytes: UTF-8, fixed texts that are searched, and regular expressions as automata. Most
 * patterns that people write need no more than one look at each byte; what needs more is left to
 * RE2/J, with the same results.
 */
package io.wexrun.core.pattern;
