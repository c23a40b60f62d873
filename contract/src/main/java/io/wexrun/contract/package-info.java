/**
 * Tests that every implementation of a contract must pass. An implementation's test extends the
 * suite of its kind, and says how to open one and how to look at what is there:
 *
 * <pre>{@code
 * class TramFilesTest extends IntakeContract {
 *   protected Intake open(List<KnownSource> known) { ... }
 *   protected void append(String source, String... records) { ... }
 * }
 * }</pre>
 *
 * <p>A suite opens what it tests many times, each time as after the end of the process before:
 * sometimes an orderly one, sometimes a crash, after which nothing was closed.
 */
package io.wexrun.contract;
