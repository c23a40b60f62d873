/** Who things with names are, so that one made anew is not taken for the one before. */
package io.wexrun.core.identity;
