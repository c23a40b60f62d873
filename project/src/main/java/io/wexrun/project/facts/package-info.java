/** Facts about a workspace, as values: what the command shows, and any other program may. */
package io.wexrun.project.facts;
