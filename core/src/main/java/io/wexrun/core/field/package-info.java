/**
 * How single values are read: numbers, times, JSON, literals, and the specs that say which. Knows
 * no step.
 */
package io.wexrun.core.field;
