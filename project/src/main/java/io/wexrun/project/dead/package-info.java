/** Dead letters: which ones were chosen to be replayed, and replaying them. */
package io.wexrun.project.dead;
