/** Steps that add, change, check and remove fields. */
package io.wexrun.core.change;
