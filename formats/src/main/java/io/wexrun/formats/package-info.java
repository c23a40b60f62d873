/**
 * Steps that read records by a schema, or know what a library knows: Protocol Buffers, Avro, client
 * software. Found as services of {@link io.wexrun.core.step.StepKind}.
 */
package io.wexrun.formats;
