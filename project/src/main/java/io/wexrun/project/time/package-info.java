/** When pipelines are started. */
package io.wexrun.project.time;
