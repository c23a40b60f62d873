/** What a workspace consists of, as plain data. */
package io.wexrun.project.definition;
