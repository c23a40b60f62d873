/** Benchmarks; never published. */
package io.wexrun.bench;
