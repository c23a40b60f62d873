/** Internet addresses and ranges of them, without a network. */
package io.wexrun.core.address;
