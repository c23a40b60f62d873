/** Reference tables, which lookups add columns from. */
package io.wexrun.core.reference;
