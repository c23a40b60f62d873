/** Pipelines of a workspace on their way to run: their order, and what was begun before. */
package io.wexrun.project.run;
