/**
 * The steps of a shape: what turns raw bytes into typed fields, and fields into others. A {@link
 * io.wexrun.core.step.StepKind} compiles what is written into {@link io.wexrun.core.step.Step}s.
 */
package io.wexrun.core.step;
