/** What can be known of a workspace before it runs. */
package io.wexrun.project.check;
