/**
 * How kinds of intakes, stores, targets, channels and reference tables are found and opened. Each
 * is a service, so that a jar can add one.
 */
package io.wexrun.core.connect;
