/** Small programs on the public interface, run by a test. */
package io.wexrun.examples;
