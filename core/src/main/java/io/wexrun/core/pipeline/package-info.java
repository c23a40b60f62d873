/**
 * Definitions: what a pipeline is, as plain data. The YAML file and the Java builder make the same
 * objects.
 */
package io.wexrun.core.pipeline;
